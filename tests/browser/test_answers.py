"""What the API answers, held against what it publishes: of the demo's books, every address with everything there is to ask it for."""

import re
from itertools import product

import pytest
from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match

#: For recorders, who have tokens.
NOT_HERE = {"/api/recordings/planned/", "/api/token/"}
#: What answers a question alone.
QUESTIONS = {
    "/api/books/{book}/chain/": "?entry=1&entry=9",
    "/api/books/{book}/entries/{number}/claim/": "?say=The+boats+are+faster.",
    "/api/books/{book}/entries/{number}/evidence/part/": "?lane=gpu&path=reflections",
}
#: Of what there is many of, so many are asked for.
MOST = 40


def as_json_schema(node):
    """OpenAPI 3.0 as the JSON schema that validators know, and strict: what is not declared may not be there."""
    if isinstance(node, list):
        return [as_json_schema(one) for one in node]
    if not isinstance(node, dict):
        return node
    made = {key: as_json_schema(value) for key, value in node.items()}
    if isinstance(made.get("properties"), dict) and made.get("type") == "object":
        made.setdefault("additionalProperties", False)
    return {"anyOf": [made, {"type": "null"}]} if made.pop("nullable", None) is True else made


@pytest.fixture(scope="module")
def asked(demo, browser, signed_in):
    """Answers to GET: (address as it is published, path, schema, body or status)."""
    context = browser.new_context()
    context.add_cookies(signed_in)

    def get(path):
        return context.request.get(f"{demo['base']}{path}", timeout=180_000)

    published = as_json_schema(get("/api/schema/?format=json").json())
    there = known(lambda path: get(path).json())
    told = []
    for address, methods in published["paths"].items():
        names = re.findall(r"{(\w+)}", address)
        content = methods.get("get", {}).get("responses", {}).get("200", {}).get("content", {})
        if list(content) != ["application/json"]:
            continue
        schema = {**content["application/json"]["schema"], "components": published["components"]}
        part = re.findall(r"(\w+)/{key}", address)
        own = [there.get(f"{part[0]} key" if name == "key" else name, []) for name in names]
        for values in product(*own):
            path = address.format(**dict(zip(names, values, strict=True))) + QUESTIONS.get(address, "")
            answer = get(path)
            told.append((address, path, schema, answer.json() if answer.ok else answer.status))
    context.close()
    return told


def known(get):
    """Names in addresses, or names of one address, and what there is of each in the demo's book."""
    book = "/api/books/lanternfall"

    def ids(rows, name="id"):
        return sorted({one[name] for one in rows})[:MOST]

    lines = get(f"{book}/trend/")
    recordings = {one["account"]: one["id"] for one in get(f"{book}/recordings/?page_size=1000")["results"]}
    return {
        "book": ["lanternfall"],
        "number": ids(get(f"{book}/entries/")["results"], "number"),
        "scenario": ids(get(f"{book}/scenarios/")),
        "rig": ids(lines["lines"], "rig_id"),
        "alarm": ids(lines["alarms"]),
        "run_id": ids(get("/api/runs/?book=lanternfall")["results"])[:5],
        "recording_id": sorted(recordings.values()),  # one of each account
        **{f"{part} key": ids(get(f"{book}/{part}/")["results"]) for part in ("laps", "inventories")},
        "classes key": ids(get(f"{book}/field/")["rows"]),
    }


def test_every_answer_has_the_shape_that_is_published(asked):
    broken = [
        f"{path} {fault.json_path}: {fault.message[-200:]}"
        for _, path, schema, body in asked
        if not isinstance(body, int)
        if (fault := best_match(Draft202012Validator(schema).iter_errors(body)))
    ]
    assert not broken, "\n".join(broken)


def test_every_address_was_answered_with_something(asked):
    answered = {address for address, _, _, body in asked if not isinstance(body, int)}
    assert {address for address, *_ in asked} - answered == NOT_HERE
