"""Carrying out a plan: conversions, the package, what is kept of a build, releases."""
