"""Tables of the plan package in the API: taken as they come, checked by their own model, described by it."""

from __future__ import annotations

from typing import Any

from drf_spectacular.utils import extend_schema_field
from pydantic import BaseModel
from rest_framework import serializers


def schema_of(model: type[BaseModel]) -> dict[str, Any]:
    """The model's JSON schema with every inner model in its place."""
    whole = model.model_json_schema()
    inner = whole.pop("$defs", {})

    def placed(part: Any) -> Any:
        if isinstance(part, dict):
            if "$ref" in part:
                return placed(inner[part["$ref"].rpartition("/")[2]])
            return {k: placed(v) for k, v in part.items() if k != "title" or not isinstance(v, str)}
        return [placed(v) for v in part] if isinstance(part, list) else part

    described: dict[str, Any] = placed(whole)
    return described


def tables_field(model: type[BaseModel], **options: Any) -> serializers.DictField:
    """A field that holds tables of ``model``; who takes it has it checked (plan.parse_plan, plan.check_definition)."""

    @extend_schema_field(schema_of(model))
    class Tables(serializers.DictField):
        pass

    return Tables(**options)
