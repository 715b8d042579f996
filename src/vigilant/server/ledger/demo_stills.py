"""Pictures of the made-up river for the demo: drawn, never photographed; grain differs from run to run."""

from __future__ import annotations

import base64
import hashlib
import io

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from vigilant.server.books.models import Book
from vigilant.server.entries.models import ComparisonRun, Entry
from vigilant.server.runs.models import Still
from vigilant.server.runs.stills import put_still

WIDTH, HEIGHT = 640, 360
#: So many runs of each arm take pictures.
RUNS = 3
#: Where lanterns hang on each still: x, y, radius.
LANTERNS = {
    "bridge.png": [(90, 120, 9), (180, 108, 8), (290, 104, 8), (402, 108, 8), (505, 121, 9)],
    "bank.png": [(70, 190, 10), (150, 182, 9), (232, 186, 10), (330, 180, 9), (430, 187, 10), (540, 184, 9)],
}
LEGS = {"bridge.png": "under the bridge", "bank.png": "market bank", "overdraw.png": "market bank"}
#: Entries with pictures, and what is gone after: in no. 7 one lantern is not lit any more.
GONE: dict[int, dict[str, int]] = {3: {}, 7: {"bank.png": 4}}


def _river(name: str, gone: int | None, rng: np.random.Generator) -> Image.Image:
    """Evening over the water, lanterns and their light on it."""
    y = np.linspace(0.0, 1.0, HEIGHT)[:, None]
    sky = np.stack([22 + 46 * y, 26 + 30 * y, 58 - 8 * y], axis=-1) * np.ones((1, WIDTH, 1))
    x = np.arange(WIDTH)[None, :]
    ripples = 5.0 * np.sin(x / 9.0 + 14.0 * y**2) * (y > 0.62)
    picture = Image.fromarray(np.clip(sky + ripples[..., None], 0, 255).astype(np.uint8))
    draw = ImageDraw.Draw(picture)
    if name == "bridge.png":
        draw.arc((40, 96, 600, 420), 180, 360, fill=(52, 40, 38), width=26)
    else:
        for left in range(20, WIDTH, 104):
            draw.polygon([(left, 240), (left + 46, 206), (left + 92, 240)], fill=(88, 44, 40))
            draw.rectangle((left + 6, 240, left + 86, 262), fill=(44, 34, 36))
    glow = Image.new("RGB", picture.size)
    light = ImageDraw.Draw(glow)
    for number, (cx, cy, r) in enumerate(LANTERNS[name]):
        if number == gone:
            continue
        light.ellipse((cx - 3 * r, cy - 3 * r, cx + 3 * r, cy + 3 * r), fill=(96, 62, 20))
        light.ellipse((cx - r, 2 * 250 - cy - 8, cx + r, 2 * 250 - cy + 30), fill=(70, 46, 18))
        draw.ellipse((cx - r, cy - r, cx + r, cy + r), fill=(246, 196, 104), outline=(120, 60, 24))
    lit = np.asarray(picture, float) + np.asarray(glow.filter(ImageFilter.GaussianBlur(9)), float)
    grain = rng.normal(0.0, 1.6, (HEIGHT, WIDTH, 1))
    return Image.fromarray(np.clip(lit + grain, 0, 255).astype(np.uint8))


def _overdraw(arm: str) -> Image.Image:
    """How often each pixel of the bank is painted: a picture of cost, in one lightness."""
    picture = Image.new("RGB", (WIDTH, HEIGHT), (24, 24, 24))
    draw = ImageDraw.Draw(picture)
    for left in range(20, WIDTH, 104):
        tone = 150 if arm == "before" else 84
        draw.polygon([(left, 240), (left + 46, 206), (left + 92, 240)], fill=(tone, tone, tone))
        draw.rectangle((left + 6, 240, left + 86, 262), fill=(tone // 2, tone // 2, tone // 2))
    return picture


def take_stills(book: Book) -> None:
    """Put the pictures beside the runs of the entries that have some."""
    for number, gone in GONE.items():
        entry = Entry.objects.get(book=book, number=number)
        rng = np.random.default_rng(number)
        used = ComparisonRun.objects.filter(arm__comparison=entry.comparison).select_related("run", "arm")
        taken = {"before": 0, "after": 0}
        for one in used.order_by("position"):
            arm = one.arm.label
            if taken[arm] == RUNS:
                continue
            taken[arm] += 1
            for name in LANTERNS:
                _put(one, name, _river(name, gone.get(name) if arm == "after" else None, rng), "view")
            if number == 7:
                _put(one, "overdraw.png", _overdraw(arm), "cost")


def _put(one: ComparisonRun, name: str, picture: Image.Image, shows: str) -> None:
    out = io.BytesIO()
    picture.save(out, "PNG")
    body = out.getvalue()
    digest = base64.b64encode(hashlib.sha256(body).digest()).decode()
    of = {"leg": LEGS[name], "frame": None, "shows": Still.Shows(shows)}
    put_still(one.run, name, body, f"sha-256=:{digest}:", of)
