"""What a stranger's file is read by, in a process of its own that can be ended: it has so much time and so
much memory, and both are given back.
"""

from __future__ import annotations

import os
import pickle
import resource
import subprocess
import sys
from collections.abc import Callable
from typing import ParamSpec, TypeVar

from sutura.core.errors import Invalid, Refusal
from sutura.core.facts import fact

P = ParamSpec("P")
T = TypeVar("T")
MEGABYTE = 1 << 20
# far more than an ordinary calendar takes; the shop's, not measured
SECONDS, MEGABYTES = 10, 1_000
# how the process ends when there was not enough memory
_NO_ROOM = 3


def apart(seconds: int, work: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
    """What a module's function gives or refuses, called in a process of its own with so many
    seconds of a processor and MEGABYTES.

    Its arguments and answer are values that can be pickled; the answer is our own code's, not the file's.
    Refuses the file when it costs more, or when its reader breaks off: what broke it is on standard error.
    """
    try:
        done = subprocess.run(
            [sys.executable, "-m", "sutura.formats.apart", str(seconds), str(MEGABYTES)],
            input=pickle.dumps((work, args, kwargs)),
            env=os.environ | {"PYTHONPATH": os.pathsep.join(filter(None, sys.path))},
            stdout=subprocess.PIPE,
            timeout=seconds * 3,
            check=False,
        )
    except subprocess.TimeoutExpired:
        raise _too_costly(seconds) from None
    if done.returncode == 1:
        raise Invalid("file", fact("file.cannot-be-read"), fact("file.written-anew"))
    if done.returncode != 0:
        raise _too_costly(seconds)
    came = pickle.loads(done.stdout)
    if isinstance(came, Refusal):
        raise came
    answer: T = came
    return answer


def _too_costly(seconds: int) -> Invalid:
    return Invalid("file", fact("file.costs-too-much", seconds=seconds), fact("file.smaller"))


def _main() -> None:
    seconds, megabytes = (int(word) for word in sys.argv[1:])
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))
    resource.setrlimit(resource.RLIMIT_AS, (megabytes * MEGABYTE, megabytes * MEGABYTE))
    work, args, kwargs = pickle.load(sys.stdin.buffer)
    try:
        came = work(*args, **kwargs)
    except Refusal as refusal:
        came = refusal
    except MemoryError:
        sys.exit(_NO_ROOM)
    sys.stdout.buffer.write(pickle.dumps(came))


if __name__ == "__main__":
    _main()
