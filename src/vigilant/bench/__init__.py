"""The bench: plans, schedules, runs subjects, collects their frames, spools and delivers."""
