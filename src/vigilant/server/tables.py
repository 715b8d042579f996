"""Tables of the plan package in the API: taken as they come, checked by their own model, described by it."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from pydantic import BaseModel
from rest_framework import serializers

from vigilant.formats.field import Snapshot
from vigilant.plan import Definition, PlanTables

_PLACE = "#/components/schemas/"


def reference_to(model: type[BaseModel]) -> dict[str, str]:
    """Where the schema describes ``model`` (:func:`describe`)."""
    return {"$ref": f"{_PLACE}{model.__name__}"}


def describe(result: dict[str, Any], generator: Any, request: Any, public: bool) -> dict[str, Any]:
    """Put the JSON schema of the plan's models and of a session's, each once, among the components of the API's schema."""
    components = result.setdefault("components", {}).setdefault("schemas", {})
    for model in (PlanTables, Definition, Snapshot):
        described = model.model_json_schema(ref_template=_PLACE + "{model}")
        for name, one in (*described.pop("$defs", {}).items(), (model.__name__, described)):
            made = _untitled(one)
            if components.setdefault(name, made) != made:
                raise ValueError(f"two components of the schema are called {name}")
    return result


def _untitled(part: Any) -> Any:
    """Without the titles that only repeat a key."""
    if isinstance(part, dict):
        return {k: _untitled(v) for k, v in part.items() if k != "title" or not isinstance(v, str)}
    return [_untitled(v) for v in part] if isinstance(part, list) else part


def tables_field(model: type[BaseModel], **options: Any) -> serializers.DictField:
    """A field that holds tables of ``model``; who takes it has it checked (plan.parse_plan, plan.check_definition)."""

    @extend_schema_field(reference_to(model))
    class Tables(serializers.DictField):
        pass

    return Tables(**options)
