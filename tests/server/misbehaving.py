"""What a child process may do wrong, as its name says: stands in for the work of jobs."""

from __future__ import annotations

import os
import signal
import time
from multiprocessing.connection import Connection
from pathlib import Path

from pruxel.server.jobs.risk import Risk

RISK = Risk("entry", "a.png", "1", 1.0)


def serve(pipe: Connection, _nice: int, name: str, _parent: int) -> None:
    does, _, ready = name.partition(": ")
    stop = {"asked": False}
    signal.signal(signal.SIGTERM, lambda *_: stop.update(asked=True))
    while True:
        try:
            pipe.recv()
        except EOFError:
            return
        match does:
            case "well":
                pass
            case "dies":
                os.kill(os.getpid(), signal.SIGKILL)
            case "leaves":
                os._exit(3)
            case "dies at":
                pipe.send(RISK)
                os.kill(os.getpid(), signal.SIGSEGV)
            case "hangs at":
                pipe.send(RISK)
                time.sleep(600)
            case "is away":
                os._exit(75)
            case "says much":
                for _ in range(2000):
                    pipe.send(RISK)
                    pipe.send(None)
            case "hangs":
                time.sleep(600)
            case "grows":
                held = bytearray(400 << 20)
                held[::4096] = b"x" * len(held[::4096])
                time.sleep(600)
            case "ends when told":
                Path(ready).touch()
                while not stop["asked"]:
                    time.sleep(0.05)
        pipe.send("done")
