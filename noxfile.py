"""The tests on each Python that is found: ``pipx run nox``. CI runs ``make lint`` and ``make test`` on one."""

import nox

nox.options.error_on_missing_interpreters = False


@nox.session(python=["3.11", "3.12", "3.13", "3.14"])
def tests(session: nox.Session) -> None:
    """Install the package as pip does, and run its tests."""
    session.install("--editable", ".[dev]")
    session.run("pytest", *session.posargs)
