"""The line over builds: their order, what was measured of each, steps and breaks, and alarms for the newest build."""
