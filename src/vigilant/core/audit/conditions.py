"""Do the conditions match? A condition named in no list must match; one known on one side only warns."""

from collections.abc import Iterator, Mapping, Sequence

from ..finding import Finding
from ..policy import Policy
from .evidence import Evidence

#: Conditions with a check of their own.
ELSEWHERE = ("frame_is", "clock")


def keys_to_match(sheets: Sequence[Mapping[str, str]], policy: Policy) -> list[str]:
    """The conditions of these sheets that may not differ between them."""
    free = {*policy.may_differ, *policy.change, *ELSEWHERE}
    return sorted(({key for sheet in sheets for key in sheet} | set(policy.must_match)) - free)


def differing(sheets: Sequence[Mapping[str, str]], policy: Policy) -> dict[str, list[str]]:
    """Conditions that may not differ and do, of any number of runs, with their values."""
    found = {key: sorted({s[key] for s in sheets if key in s}) for key in keys_to_match(sheets, policy)}
    return {key: values for key, values in found.items() if len(values) > 1}


def check(evidence: Evidence) -> Iterator[Finding]:
    sheets = [[view.series.conditions for view in arm] for arm in evidence.arms.arms]
    unlike, one_sided = [], []
    for key in keys_to_match([sheet for arm in sheets for sheet in arm], evidence.policy):
        values = [sorted({sheet[key] for sheet in arm if key in sheet}) for arm in sheets]
        if all(values):
            if len(set(values[0]) | set(values[1])) > 1:
                unlike.append({"condition": key, "before": values[0], "after": values[1]})
        elif any(values):
            one_sided.append({"condition": key, "before": values[0], "after": values[1]})
    if unlike:
        yield Finding("conditions-differ", "void", {"differences": unlike})
    if one_sided:
        yield Finding("condition-one-side", "warn", {"differences": one_sided})
