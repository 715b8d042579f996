"""A server that senders of the field deliver to, for each test."""

import threading

import pytest

from emitters.receiving import Server


@pytest.fixture
def server():
    found = Server()
    thread = threading.Thread(target=found.serve_forever)
    thread.start()
    yield found
    found.shutdown()
    thread.join()
    found.server_close()
