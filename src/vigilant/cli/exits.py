"""Exit codes of record, compare and gate (docs/formats.md)."""

USAGE = 2
NOT_DELIVERED = 5
OF_VERDICT = {
    "gain": 0,
    "no material change": 0,
    "regression": 1,
    "trade-off": 1,
    "undecided": 3,
    "void": 4,
}
