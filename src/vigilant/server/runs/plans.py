"""What a stored plan and a scenario's definition mean: their policy, and the names of their arms."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from vigilant.core import Policy
from vigilant.formats.errors import PlanError
from vigilant.plan import ArmRef, Plan, parse_plan, plan_policy
from vigilant.plan.armref import Role
from vigilant.server.problems import unprocessable
from vigilant.server.scenarios import services as scenarios


def definition_of(plan: Mapping[str, Any]) -> dict[str, Any]:
    """The part of a plan that makes a scenario version."""
    scenario = plan.get("scenario", {})
    return {**{k: scenario[k] for k in sorted(scenarios.DEFINED) if k in scenario}, "policy": plan.get("policy", {})}


def policy_of(definition: Mapping[str, Any]) -> Policy:
    """The policy of a scenario version. Raises a problem."""
    try:
        return plan_policy(definition, definition.get("policy", {}), "The plan cannot be judged by")
    except PlanError as error:
        raise unprocessable(error.code, str(error)) from error


def checked_plan(raw: Any) -> Plan:
    """A plan as its recorder will read it: what cannot be read is not stored. Raises a problem."""
    try:
        return parse_plan(raw, Path(), "the plan")
    except PlanError as error:
        raise unprocessable(error.code, str(error), places=error.told) from error


def arm_table(plan: Mapping[str, Any], label: str) -> Mapping[str, Any]:
    """What the plan says of an arm (the plan package numbers them in the plan's order); empty where it has none."""
    listed = plan.get("arm") if isinstance(plan, dict) else None
    tables = [table for table in listed if isinstance(table, dict)] if isinstance(listed, list) else []
    ref = ArmRef.of(label)
    own = [table for table in tables if bool(table.get("empty")) == (ref.role == Role.EMPTY)]
    index = max(ref.index, 0)
    return own[index] if index < len(own) else {}


def arm_name(plan: Mapping[str, Any], label: str) -> str:
    """The name the plan gives an arm."""
    return str(arm_table(plan, label).get("name", label))
