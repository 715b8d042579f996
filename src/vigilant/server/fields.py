"""Fields of requests: every text, list and number has its limit (formats.limits), and says what it met."""

from __future__ import annotations

import math
from typing import Any

from django.utils.translation import gettext_lazy as _
from rest_framework import serializers
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

from vigilant.formats import limits, strict_json


class StrictJSONParser(JSONParser):
    """Bodies go through the one strict reader: no surrogates, no 1e999, no key twice, no deep nesting."""

    most_bytes = limits.BODY_BYTES

    def parse(self, stream, media_type=None, parser_context=None):
        body = stream.read()
        if len(body) > self.most_bytes:
            raise ParseError(f"The body has {len(body)} bytes; {self.most_bytes} are allowed.")
        try:
            return strict_json.loads(body)
        except strict_json.JsonRefused as error:
            raise ParseError(f"The body is no JSON that can be taken: {error}.") from error


class Text(serializers.CharField):
    """A text of at most ``most`` characters; a number is none."""

    default_error_messages = {
        "not_text": _("A text is wanted, got {met}."),
        "too_long": _("{met} characters; {most} are allowed."),
        "control": _("It holds a control character."),
    }

    def __init__(self, most: int, **kwargs: Any) -> None:
        super().__init__(max_length=most, **kwargs)

    def to_internal_value(self, data: Any) -> str:
        if not isinstance(data, str):
            self.fail("not_text", met=type(data).__name__)
        if len(data) > (self.max_length or 0):
            self.fail("too_long", met=len(data), most=self.max_length)
        if any(c < " " and c not in "\n\r\t" for c in data):
            self.fail("control")
        return super().to_internal_value(data)


class Number(serializers.FloatField):
    """A finite number within its bounds, which must be stated."""

    default_error_messages = {"not_finite": _("A finite number is wanted.")}

    def __init__(self, least: float, most: float, **kwargs: Any) -> None:
        super().__init__(min_value=least, max_value=most, **kwargs)

    def to_internal_value(self, data: Any) -> float:
        if isinstance(data, bool):
            self.fail("invalid")
        try:
            value = super().to_internal_value(data)
        except OverflowError:
            self.fail("not_finite")
        if not math.isfinite(value):
            self.fail("not_finite")
        return value


class Whole(serializers.IntegerField):
    """A whole number within its bounds, which must be stated; true is none."""

    def __init__(self, least: int, most: int, **kwargs: Any) -> None:
        super().__init__(min_value=least, max_value=most, **kwargs)

    def to_internal_value(self, data: Any) -> int:
        if isinstance(data, bool):
            self.fail("invalid")
        return super().to_internal_value(data)


class Listed(serializers.ListField):
    """A list of at most ``most`` of ``child``."""

    def __init__(self, child: serializers.Field, most: int, **kwargs: Any) -> None:
        super().__init__(child=child, max_length=most, **kwargs)


class SheetField(serializers.DictField):
    """Texts (or what ``child`` is) by key: a sheet of conditions, the facts of a rig."""

    default_error_messages = {"too_many": _("{met} keys; {most} are allowed.")}

    def __init__(self, child: serializers.Field | None = None, **kwargs: Any) -> None:
        super().__init__(child=child or Text(limits.VALUE, allow_blank=True), **kwargs)

    def to_internal_value(self, data: Any) -> dict[str, Any]:
        if isinstance(data, dict) and len(data) > limits.SHEET_KEYS:
            self.fail("too_many", met=len(data), most=limits.SHEET_KEYS)
        return super().to_internal_value(data)
