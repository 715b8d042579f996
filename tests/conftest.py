"""Hypothesis: the same examples on every machine, no deadlines on a shared one."""

from hypothesis import settings

settings.register_profile("repeatable", derandomize=True, deadline=None)
settings.load_profile("repeatable")
