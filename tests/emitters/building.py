"""C programs for tests, built by the system's own compiler."""

import subprocess
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
HEADER = ROOT / "emitters" / "c"
#: Warnings are faults: the header goes into other people's programs.
STRICT = ("-O2", "-Wall", "-Wextra", "-Werror")
#: A step beyond what is the program's own ends it.
SANITIZED = ("-fsanitize=address,undefined", "-fno-sanitize-recover=all")


def built(folder, name, source, *options, compiler="gcc"):
    """The program or library ``folder/name`` from C source."""
    file = folder / f"{name}.c"
    file.write_text(source)
    language = ("-x", "c++", "-std=c++17") if compiler == "g++" else ("-std=gnu99",)
    subprocess.run(
        [
            compiler,
            *language,
            *STRICT,
            f"-I{HEADER}",
            str(file),
            "-o",
            str(folder / name),
            *options,
            "-lpthread",
            "-lm",
        ],
        check=True,
    )
    return folder / name
