"""`make fuzz`: changed inputs as long as one likes, on one core; what it finds is made small and kept in `.fuzz`.

A process that dies of an input is told of too, and the next goes on behind it.
"""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import time
from pathlib import Path

from fuzz.run import build_world, campaign, keep, smaller
from pruxel.core.native.processes import ending_with_us
from pruxel.sample.cached import cached_sample

_PLACE = Path(".fuzz")
_EVERY = 200


def _child(options: argparse.Namespace, folder: Path) -> int:
    """Try inputs in this process; a line of JSON each now and then, so that it is known how far it came."""
    count, keys, wrong = 0, set[str](), 0
    for found in campaign(folder, options.seed, options.inputs, options.target):
        count += 1
        if found is not None and found.key not in keys:
            keys.add(found.key)
            wrong += 1
            sys.stdout.write(json.dumps({"found": found.line(), "kept": str(keep(found, _PLACE))}) + "\n")
        if count % _EVERY == 0 or found is not None:
            sys.stdout.write(json.dumps({"count": count}) + "\n")
            sys.stdout.flush()
        if options.seconds and time.monotonic() > options.end:
            break
    sys.stdout.write(json.dumps({"count": count, "over": True}) + "\n")
    return wrong


def _again(file: Path, folder: Path) -> int:
    """Read one kept input once more, and make it smaller when it is still wrong."""
    from fuzz.run import Found, tried

    told = json.loads(file.with_suffix(".json").read_text())
    found = Found(**told, data=file.read_bytes())
    world = build_world(folder)
    wrong = tried(world, found.target, found.name, found.data)
    if wrong is None:
        sys.stdout.write("nothing is wrong with it any more\n")
        return 0
    small = smaller(world, found)
    keep(small, file.parent)
    sys.stdout.write(f"{small.line()}\n{small.data[:200]!r}\n")
    return 1


def main() -> int:
    """Run and tell."""
    options = argparse.ArgumentParser(description=__doc__)
    options.add_argument("--seconds", type=float, default=600.0, help="0: without end")
    options.add_argument("--inputs", type=int, default=0, help="at most so many; 0: as many as there is time for")
    options.add_argument("--seed", default="1")
    options.add_argument("--target", default=None)
    options.add_argument("--child", action="store_true", help=argparse.SUPPRESS)
    options.add_argument("--again", type=Path, default=None, help="a kept input, to be tried once more")
    given = options.parse_args()
    folder = cached_sample(Path(".data/samples").resolve(), 1, lambda _f, _m: None)
    given.end = time.monotonic() + given.seconds
    if given.again is not None:
        return _again(given.again, folder)
    if given.child:
        return int(_child(given, folder) > 0)
    total, wrong, part = 0, 0, 0
    try:
        while not _is_over(given, total):
            part += 1
            over, before = False, total
            with subprocess.Popen(
                ending_with_us(_command(given, total, part)), stdout=subprocess.PIPE, text=True
            ) as child:
                # A child ends with this process, and an interruption of it is not waited out.
                for text in child.stdout or ():
                    line = json.loads(text) if text.startswith("{") else {}
                    total = before + line.get("count", total - before)
                    over = over or "over" in line
                    if "found" in line:
                        wrong += 1
                        sys.stdout.write(f"{line['found']}\n  kept as {line['kept']}\n")
                        sys.stdout.flush()
            if not over:
                wrong += 1
                sys.stdout.write(
                    f"a process died with {child.returncode} after {total:,} inputs, {given.seed}.{part}\n"
                )
    except KeyboardInterrupt:
        sys.stdout.write("stopped; ")
    sys.stdout.write(f"{total:,} inputs, {wrong} promises broken\n")
    return int(wrong > 0)


def _is_over(given: argparse.Namespace, total: int) -> bool:
    late = given.seconds and time.monotonic() >= given.end
    return bool(late or (given.inputs and total >= given.inputs))


def _command(given: argparse.Namespace, total: int, part: int) -> list[str]:
    """A child that goes on where the last one ended."""
    left = max(given.end - time.monotonic(), 1) if given.seconds else 0
    command = [sys.executable, "-m", "fuzz", "--child", "--seed", f"{given.seed}.{part}", "--seconds", f"{left}"]
    command += ["--inputs", str(given.inputs - total)] if given.inputs else []
    return command + (["--target", given.target] if given.target else [])


if __name__ == "__main__":
    sys.exit(main())
