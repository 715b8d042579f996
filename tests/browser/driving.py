"""What the driver has no word for: waiting for what no expectation tells, and sending as the page's person."""

import time

LOOK_MS = 50
# What takes real runs is waited for as long as a very busy machine needs; it is there sooner on any other.
LONG_MS = 180_000
# A live view says its mean from the second report on, one a second: shorter runs may be over before.
RUN_S = 3


def until(page, condition, arg=None, timeout_s=60):
    """Ask again until ``condition``, a script or a function of the test, is true. The driver's own way to wait for a
    script evaluates inside the page at a later time, which the page's content policy forbids: it works only where the
    first look is a hit."""
    end = time.monotonic() + timeout_s
    while not (condition() if callable(condition) else page.evaluate(condition, arg)):
        assert time.monotonic() < end, f"never true: {condition}"
        page.wait_for_timeout(LOOK_MS)


def posted(page, url, data):
    """What the server answers to ``data``, sent with the cookies of ``page``."""
    token = next(cookie["value"] for cookie in page.context.cookies() if cookie["name"] == "csrftoken")
    answer = page.request.post(url, data=data, headers={"X-CSRFToken": token})
    assert answer.ok, answer.text()
    return answer.json()
