"""What devices in the field report: histograms, late shares with intervals, like with like, labels, tiers, and what to borrow."""

from .alike import Compared, Difference, compared
from .borrow import Listed, Shrunk, session_variance, shortlist, shrunk
from .early import LeftEarly, Stratum, left_early
from .histogram import (
    BUCKETS,
    EDGES_MS,
    EDGES_VERSION,
    Bucket,
    Histogram,
    Told,
    explicit,
    exponential,
    histogram_of,
    merged,
    packed,
    quantile,
    share_of_buckets,
    share_over,
    unpacked,
)
from .labels import GoesWith, Label, Labelled, SetOf, goes_with, labelled
from .pooled import Pooled, pooled
from .shares import Share, none_seen, percentile, share, share_of_groups, shown, wilson
from .tiers import Expected, Ratio, Split, Standing, after_ratio, after_shift, move, ratio, shift, split

__all__ = [
    "BUCKETS", "EDGES_MS", "EDGES_VERSION", "Bucket", "Compared", "Difference", "Expected", "GoesWith", "Histogram", "Label", "Labelled",
    "LeftEarly", "Listed", "Pooled", "Ratio", "SetOf", "Share", "Shrunk", "Split", "Standing", "Stratum", "Told", "after_ratio",
    "after_shift", "compared", "explicit", "exponential", "goes_with", "histogram_of", "labelled", "left_early", "merged", "move",
    "none_seen", "packed", "percentile", "pooled", "quantile", "ratio", "session_variance", "share", "share_of_buckets",
    "share_of_groups", "share_over", "shift", "shortlist", "shown", "shrunk", "split", "unpacked", "wilson",
]  # fmt: skip
