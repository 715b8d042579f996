"""Vigilant Ledger: frame time comparisons with a verdict you can defend."""

__version__ = "0.1.0"
