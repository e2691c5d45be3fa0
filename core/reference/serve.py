"""Runs reference scripts, SciPy loaded once: a line {"script", "input", "seconds"} in, a line {"said", "complaint"} out.

Each runs in a process of its own, forked from this one; one that takes too long is ended and says nothing.
"""

import io
import json
import os
import runpy
import signal
import sys
import traceback

import numpy  # noqa: F401
import scipy.fft  # noqa: F401
import scipy.integrate  # noqa: F401
import scipy.optimize  # noqa: F401

sys.path.insert(0, os.path.dirname(os.path.abspath(__file__)))


def run(script, given):
    sys.stdin, sys.stdout, sys.stderr = io.StringIO(given), io.StringIO(), io.StringIO()
    try:
        runpy.run_path(script, run_name="__main__")
    except BaseException:
        traceback.print_exc()
    return {"said": sys.stdout.getvalue(), "complaint": sys.stderr.getvalue()}


for line in sys.stdin:
    job = json.loads(line)
    out, into = os.pipe()
    child = os.fork()
    if child == 0:
        os.close(out)
        signal.alarm(job["seconds"])
        answer = run(job["script"], job["input"])
        with os.fdopen(into, "w") as pipe:
            pipe.write(json.dumps(answer))
        os._exit(0)
    os.close(into)
    with os.fdopen(out) as pipe:
        answer = pipe.read()
    os.waitpid(child, 0)
    print(answer or json.dumps({"said": "", "complaint": ""}), flush=True)
