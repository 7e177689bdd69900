"""A finished pack made a workspace: what it says as ``ichnos.toml``, its sounds as clips."""
