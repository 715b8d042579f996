"""Made-up pictures, and how they are put."""

import base64
import hashlib
import io
from urllib.parse import quote

import numpy as np
from PIL import Image


def river(seed=None, lantern=False, size=(160, 90), grain=1.0):
    """Dusk over water as pixels; ``lantern`` is one more of them."""
    y, x = np.mgrid[: size[1], : size[0]]
    picture = np.stack([30 + 60 * y / size[1] + 8 * np.sin(x / 5.0)] * 3, axis=-1)
    if lantern:
        picture[(x - 40) ** 2 + (y - 50) ** 2 <= 64] = (250, 190, 90)
    if seed is not None:
        picture = picture + np.random.default_rng(seed).normal(0, grain, picture.shape)
    return np.clip(np.round(picture), 0, 255).astype(np.uint8)


def encoded(pixels, kind="PNG"):
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, kind, **({"lossless": True} if kind == "WEBP" else {}))
    return out.getvalue()


def put_still(client, run, name, body, digest=None, **of):
    header = base64.b64encode(digest or hashlib.sha256(body).digest()).decode()
    query = "&".join(f"{k}={quote(str(v))}" for k, v in of.items())
    return client.generic(
        "PUT", f"/api/runs/{run}/stills/{quote(name, safe='')}/?{query}", body, "application/octet-stream",
        HTTP_CONTENT_DIGEST=f"sha-256=:{header}:",
    )  # fmt: skip
