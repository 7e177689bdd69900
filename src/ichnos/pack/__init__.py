"""From a workspace to a pack: the workspace file, the plan (pure), the build (effects), the archive."""
