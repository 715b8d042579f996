"""The one place that writes a change, a verdict, a finding or a figure's name for a person."""

from .change import Amount, amount, figure_change, interval_words, mean_change
from .figures import FIGURE_TEXTS, FigureText
from .findings import finding_remedy, finding_sentence
from .report import comparison_document
from .verdict import STAMPS, verdict_sentence

__all__ = [
    "FIGURE_TEXTS",
    "STAMPS",
    "Amount",
    "FigureText",
    "amount",
    "comparison_document",
    "figure_change",
    "finding_remedy",
    "finding_sentence",
    "interval_words",
    "mean_change",
    "verdict_sentence",
]
