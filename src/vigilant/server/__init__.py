"""The Django server: stores runs, serves figures, keeps the ledger."""
