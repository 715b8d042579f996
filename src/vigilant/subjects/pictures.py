"""Pictures of the made-up river: drawn, never photographed; their grain differs from run to run."""

from __future__ import annotations

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

WIDTH, HEIGHT = 640, 360
#: Pictures of one swing to and fro.
SWING = 8
#: Where lanterns hang on each still: x, y, radius.
LANTERNS = {
    "bridge.png": [(90, 120, 9), (180, 108, 8), (290, 104, 8), (402, 108, 8), (505, 121, 9)],
    "bank.png": [(70, 190, 10), (150, 182, 9), (232, 186, 10), (330, 180, 9), (430, 187, 10), (540, 184, 9)],
}


def river(name: str, gone: int | None, rng: np.random.Generator) -> Image.Image:
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


def swinging(picture: int, reach_px: float, rng: np.random.Generator) -> Image.Image:
    """One lantern on its pole in the wind, ``reach_px`` to either side; the pictures of a sequence are numbered from 0."""
    x = 120 + reach_px * np.sin(2 * np.pi * picture / SWING)
    made = Image.new("RGB", (240, 150), (26, 30, 52))
    draw = ImageDraw.Draw(made)
    draw.line((120, 12, x, 84), fill=(96, 84, 70), width=2)
    draw.ellipse((x - 13, 84, x + 13, 114), fill=(246, 196, 104), outline=(120, 60, 24))
    grain = rng.normal(0.0, 1.6, (150, 240, 1))
    return Image.fromarray(np.clip(np.asarray(made, float) + grain, 0, 255).astype(np.uint8))


def overdraw(arm: str) -> Image.Image:
    """How often each pixel of the bank is painted: a picture of cost, in one lightness."""
    picture = Image.new("RGB", (WIDTH, HEIGHT), (24, 24, 24))
    draw = ImageDraw.Draw(picture)
    for left in range(20, WIDTH, 104):
        tone = 150 if arm == "before" else 84
        draw.polygon([(left, 240), (left + 46, 206), (left + 92, 240)], fill=(tone, tone, tone))
        draw.rectangle((left + 6, 240, left + 86, 262), fill=(tone // 2, tone // 2, tone // 2))
    return picture
