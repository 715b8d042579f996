"""Whether a build is ready to be sent out, in words: what each check asks, and what to do where it fails."""

from __future__ import annotations

#: What is asked, and the remedy.
CHECKS: dict[str, tuple[str, str]] = {
    "sessions": ("three test sessions at least", "Play it three times."),
    "readable": (
        "every upload is read as the server reads it",
        "Send what the sender makes; do not change it on the way.",
    ),
    "rising": (
        "uploads of a session are numbered upwards, and only grow",
        "Send the whole session so far, under a higher number each time.",
    ),
    "again": ("the same upload twice changes nothing", "Send one twice, as a bad line would."),
    "device": ("the device's model, and what tells its class", "Say its class, memory or graphics beside the model."),
    "tiers": (
        "every tier has its settings, and says who set it",
        "Give the settings of each tier: other settings are another tier.",
    ),
    "legs": ("every leg of the scenario was a place", "Play the whole course, and name its places as its legs are."),
    "labels": ("every label was seen both on and off", "Play with and without each."),
    "not-play": ("loading and menus are no play", "Mark them as not play: their frames would count as late."),
    "seconds": ("seconds of play fit the sum of frame times", "Count a frame's own time, and each frame once."),
    "late": (
        "late frames fit their budget, and some were seen",
        "State the budget of each tier; let a scene be late on purpose.",
    ),
    "refused-frames": ("frame times are times", "Look where times of 0, or below, come from."),
    "held": ("whether a refresh holds the frames", "Play for over a minute, or say it."),
    "ended": ("every session says how it ended", "Close the sender at every way out."),
    "killed": ("a killed process is told of at the next start", "Kill one (not close it), and start again."),
    "offline": (
        "a start without a line is sent later, once",
        "Play one without a line, end it, and start again with one.",
    ),
    "sizes": ("uploads keep within their bounds, and all frames had room", "Name fewer places and tiers."),
}
SAID = {
    "ok": "Ready to be sent out.",
    "missing": "Not shown to be ready: some of it was not tried.",
    "wrong": "Not ready: something is wrong.",
}
CONSENT = (
    "That nothing is sent without consent cannot be seen in what was sent: refuse it once, and see that nothing comes."
)
