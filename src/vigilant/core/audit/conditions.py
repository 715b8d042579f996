"""Do the conditions match? A condition named in no list must match; one known on one side only warns."""

from collections.abc import Iterator

from ..finding import Finding
from .evidence import Evidence

#: Conditions with a check of their own.
ELSEWHERE = ("frame_is", "clock")


def check(evidence: Evidence) -> Iterator[Finding]:
    policy = evidence.policy
    free = set(policy.may_differ) | set(policy.change)
    sheets = [[view.series.conditions for view in arm] for arm in evidence.arms.arms]
    keys = sorted({key for arm in sheets for sheet in arm for key in sheet} | set(policy.must_match))
    differing, one_sided = [], []
    for key in keys:
        if key in free or key in ELSEWHERE:
            continue
        values = [sorted({sheet[key] for sheet in arm if key in sheet}) for arm in sheets]
        if all(values):
            if len(set(values[0]) | set(values[1])) > 1:
                differing.append({"condition": key, "before": values[0], "after": values[1]})
        elif any(values):
            one_sided.append({"condition": key, "before": values[0], "after": values[1]})
    if differing:
        yield Finding("conditions-differ", "void", {"differences": differing})
    if one_sided:
        yield Finding("condition-one-side", "warn", {"differences": one_sided})
