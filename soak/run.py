"""One soak: people, harm, and the reckoning."""

from __future__ import annotations

import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

import httpx2

from soak.application import Application
from soak.harm import Harm, small_disk
from soak.people import Person
from soak.promises import broken, lost_aliases, settle

_GONE_SECONDS, _BEGIN_SECONDS, _LONGEST_SECONDS = 90.0, 180.0, 300.0


@dataclass
class Outcome:
    """What was done and what was broken; nothing should be."""

    acts: int = 0
    kills: Counter[str] = field(default_factory=Counter)
    most_megabytes: dict[str, int] = field(default_factory=dict)
    broken: list[str] = field(default_factory=list)
    small_disk: bool = False


@dataclass(frozen=True)
class Span:
    """How long people work: so many seconds, and on a slow machine until so much was done and killed."""

    seconds: float
    acts: int = 0
    kills: int = 0


def soak(folder: Path, sample: Path, span: Span, seed: int, number: int = 3, port: int = 18760) -> Outcome:
    """Let `number` people work while processes die and disks fill up."""
    outcome = Outcome()
    data = folder / "data"
    data.mkdir(parents=True)
    with small_disk(folder / "out") as output:
        outcome.small_disk = output is not None
        app = Application(data, sample, (sample,), port, output)
        try:
            _run(app, sample, span, seed, number, outcome)
        finally:
            if app.process is not None and app.process.poll() is None:
                app.kill()
            app.gone_within(_GONE_SECONDS)
            app.forget()
    return outcome


def _run(app: Application, sample: Path, span: Span, seed: int, number: int, outcome: Outcome) -> None:
    app.start()
    people = [Person(n, seed, lambda: app.addresses[-1], sample) for n in range(number)]
    harm, over = Harm(app, seed, min(max(span.seconds / 40, 1.5), 15.0)), threading.Event()
    threads = [threading.Thread(target=one.work, args=(over,), daemon=True) for one in (*people, harm)]
    for thread in threads[:-1]:
        thread.start()
    # Everybody is at work before the first harm is done.
    deadline = time.monotonic() + _BEGIN_SECONDS
    while not all(one.workpiece for one in people) and time.monotonic() < deadline:
        time.sleep(0.2)
    threads[-1].start()
    over.wait(span.seconds)
    deadline = time.monotonic() + _LONGEST_SECONDS
    while (_done(people) < span.acts or sum(harm.kills.values()) < span.kills) and time.monotonic() < deadline:
        time.sleep(0.5)
    over.set()
    for thread in threads:
        thread.join(300)
    _comes_back(app)
    outcome.broken += [*settle(people), *broken(app, people), *lost_aliases(app, people)]
    outcome.acts, outcome.kills = _done(people), harm.kills
    outcome.most_megabytes = {role: size >> 20 for role, size in sorted(harm.most_rss.items())}
    # The whole of it killed at once, and started again: what was acknowledged is still there, and nobody is left over.
    app.kill()
    outcome.kills["start"] += 1
    outcome.broken += [f"an orphan: {left}" for left in app.gone_within(_GONE_SECONDS)]
    app.start()
    _comes_back(app)
    outcome.broken += [*settle(people), *broken(app, people), *lost_aliases(app, people)]
    if (code := app.stop()) != 0:
        outcome.broken.append(f"it ended with {code}")
    outcome.broken += [f"an orphan: {left}" for left in app.gone_within(_GONE_SECONDS)]
    said = app.log.read_text()
    if "Traceback" in said:
        outcome.broken.append(f"the terminal shows a stack trace: {said[said.index('Traceback') :][:1500]}")


def _done(people: list[Person]) -> int:
    return sum(one.told.done for one in people)


def _comes_back(app: Application) -> None:
    deadline = time.monotonic() + 200
    base, _, key = app.addresses[-1].partition("/?key=")
    while True:
        try:
            if httpx2.get(f"{base}/api/projects", cookies={"pruxel_access": key}, timeout=5).status_code == 200:
                return
        except httpx2.TransportError:
            pass
        if time.monotonic() > deadline:
            raise AssertionError(f"it does not come back:\n{app.log.read_text()[-2000:]}")
        time.sleep(0.3)
