"""Serve Lanternfall, in the page, with the module that reports its frames beside it: ``python -m
vigilant.subjects.lanternfall_page --port 8800``."""

from __future__ import annotations

import argparse
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

HERE = Path(__file__).resolve().parent
MODULE = HERE.parents[3] / "emitters" / "js" / "vigilant_emitter.js"


class Festival(SimpleHTTPRequestHandler):
    def translate_path(self, path: str) -> str:
        named = super().translate_path(path)
        return str(MODULE) if Path(named) == HERE / MODULE.name else named

    def log_message(self, format: str, *args: object) -> None: ...


def server(port: int, address: str = "127.0.0.1") -> ThreadingHTTPServer:
    return ThreadingHTTPServer((address, port), partial(Festival, directory=str(HERE)))


def main() -> None:
    parser = argparse.ArgumentParser(description="Serve Lanternfall, in the page.")
    parser.add_argument("--port", type=int, default=8800)
    parser.add_argument("--address", default="127.0.0.1", help="0.0.0.0 for a handheld on the same network")
    asked = parser.parse_args()
    with server(asked.port, asked.address) as serving:
        print(f"http://{asked.address}:{serving.server_address[1]}/", flush=True)
        serving.serve_forever()


if __name__ == "__main__":
    main()
