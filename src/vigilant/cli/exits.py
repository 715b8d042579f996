"""Exit codes of record, compare and gate (docs/formats.md)."""

NOT_DELIVERED = 5
#: An arm has no complete run: its program crashed, hung or wrote nothing each time.
NO_RUNS = 6
#: A fault of ours, and Ctrl-C: never 1, which says regression.
FAULT = 70
INTERRUPTED = 130
OF_VERDICT = {
    "gain": 0,
    "no material change": 0,
    "regression": 1,
    "trade-off": 1,
    "undecided": 3,
    "void": 4,
}
OF_CLAIM = {"holds": 0, "at least that much": 0, "does not hold": 1, "cannot be told": 3}
#: Of a look through what test sessions sent: what was not tried is not shown.
OF_CHECKS = {"ok": 0, "wrong": 1, "missing": 3}
#: From best to worst, where several arms are held against the first.
WORST = (0, 3, 1, 4)
