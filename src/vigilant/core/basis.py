"""All that a comparison is made of: it can be kept beside its runs, and judged again from them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, fields
from typing import Any

from .errors import CoreError, InvalidComparison
from .finding import Finding
from .looks import look_levels
from .policy import Policy
from .repeats import refuse_repeats
from .series import FrameSeries
from .several import Pair, Several, compare_several
from .stored import finding_of, finding_row


@dataclass(frozen=True, eq=False)
class Basis:
    """Arms of runs, the first of them the reference, and what they are judged by.

    ``order`` names the arm of each slot as recorded (None where a run failed), ``sessions`` numbers each slot's
    session; ``findings`` are what is known of a pair beside its frames; ``look`` is (pairs so far, most pairs) where
    the recording goes on until it is decided; ``empty`` names the arm that is held against none.
    """

    arms: Mapping[str, Sequence[FrameSeries]]
    policy: Policy
    order: Sequence[str | None] | None = None
    sessions: Sequence[int] | None = None
    findings: Mapping[Pair, Sequence[Finding]] = field(default_factory=dict)
    look: tuple[int, int] | None = None
    empty: str | None = None

    def judged(self) -> Several:
        """Every arm against the first, in one family. Raises :class:`~vigilant.core.errors.CoreError`."""
        refuse_repeats(self.arms)
        levels = look_levels(*self.look, self.policy.alpha) if self.look else None
        return compare_several(
            self.arms,
            self.policy,
            self.order,
            empty=self.empty,
            findings=self.findings,
            levels=levels,
            sessions=self.sessions,
        )

    def document(self) -> dict[str, Any]:
        """As JSON values, without the frames; :meth:`of_document` takes it."""
        return {
            "policy": asdict(self.policy),
            "order": None if self.order is None else list(self.order),
            "sessions": None if self.sessions is None else list(self.sessions),
            "findings": [
                {"before": before, "after": after, "found": [finding_row(f) for f in found]}
                for (before, after), found in self.findings.items()
            ],
            "look": None if self.look is None else list(self.look),
            "empty": self.empty,
        }

    @classmethod
    def of_document(cls, document: Mapping[str, Any], arms: Mapping[str, Sequence[FrameSeries]]) -> Basis:
        """What :meth:`document` gave, with its runs. Raises :class:`~vigilant.core.errors.CoreError` for what is none."""
        try:
            policy = dict(document["policy"])
            unknown = set(policy) - {f.name for f in fields(Policy)}
            if unknown:
                raise InvalidComparison(f"the policy holds {sorted(unknown)[0]!r}, which this version does not know")
            look = document["look"]
            return cls(
                arms,
                Policy(**policy),
                document["order"],
                document["sessions"],
                {(row["before"], row["after"]): [finding_of(f) for f in row["found"]] for row in document["findings"]},
                None if look is None else (int(look[0]), int(look[1])),
                document["empty"],
            )
        except CoreError:
            raise
        except (KeyError, TypeError, ValueError, IndexError) as error:
            raise InvalidComparison(f"what the comparison was made of cannot be read: {error!r}") from error
