"""120.0 and 120 are one length: fingerprints of versions are made anew, so that a plan from a browser finds its version."""

import hashlib
import json

from django.db import migrations


def plain(value):
    if isinstance(value, float) and value.is_integer():
        return int(value)
    if isinstance(value, dict):
        return {key: plain(one) for key, one in value.items()}
    return [plain(one) for one in value] if isinstance(value, list) else value


def made_anew(apps, schema_editor):
    # Of versions that are alike the first is found from now on; the others stay as they are, with their runs.
    for version in apps.get_model("scenarios", "ScenarioVersion").objects.order_by("-number").iterator():
        text = json.dumps(plain(version.definition), sort_keys=True, ensure_ascii=False)
        version.fingerprint = hashlib.sha256(text.encode()).hexdigest()
        version.save(update_fields=["fingerprint"])


class Migration(migrations.Migration):
    dependencies = [("scenarios", "0002_bench")]
    operations = [migrations.RunPython(made_anew, migrations.RunPython.noop)]
