"""Ten seconds of requests made from the API's own schema (``script/timings --fuzz SECONDS`` for longer)."""

from fuzzing import fuzz


def test_some_seconds_of_made_up_requests_finds_no_server_error(tmp_path):
    assert "requests" in fuzz(tmp_path, 10)
