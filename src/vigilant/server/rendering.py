"""JSON as it leaves: written by orjson, columns straight from their arrays."""

from __future__ import annotations

from typing import Any

import orjson
from rest_framework.renderers import JSONRenderer
from rest_framework.utils.encoders import JSONEncoder

_OPTIONS = orjson.OPT_SERIALIZE_NUMPY | orjson.OPT_NON_STR_KEYS
_others = JSONEncoder().default


class QuickJSONRenderer(JSONRenderer):
    """What is no number (NaN) is null, as everywhere in this API."""

    def render(self, data: Any, accepted_media_type: str | None = None, renderer_context: Any = None) -> bytes:
        return b"" if data is None else orjson.dumps(data, default=_others, option=_OPTIONS)
