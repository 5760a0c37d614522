"""What a first start and every later one cost: CPU time and memory of whole process groups.

`script/bench cold [TREE]`: a copy of the sources (of TREE, this checkout unless given) without any cache: the first solve of every demo,
the first edit of every demo over HTTP, all kernels on one core. `script/bench start [TREE]`: once all is there.
Linux only: the figures come from /proc. CPU seconds of all processes of a session, those that compile told apart.
"""

import http.client
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import threading
import time
from pathlib import Path

TICK = os.sysconf("SC_CLK_TCK")
PORT = 8977
DEMOS = ("ethanol", "reformer", "styrene", "acid", "cyclohexane", "ester")
EDITS = {  # of each demo by its name: an input and a value near the one it has
    "ethanol": ("R1.temperature", "221 degC"),
    "reformer": ("REF.temperature", "832 degC"),
    "styrene": ("FURN.temperature", "631 degC"),
    "acetic": ("TANK.volume", "1.71 m3"),
    "cyclohexane": ("SPLIT.drawn", "8.1 %"),
    "ethyl acetate": ("R1.temperature", "71 degC"),
}


class Group:
    """A command in a session of its own, watched from outside. cpu, peak: of all its processes; compiling: CPU of those that compile."""

    def __init__(self, command, env):
        self.process = subprocess.Popen(
            command, env=env, start_new_session=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True, errors="replace"
        )
        self.spent, self.peak, self.said, self.ended = {}, 0, [], False
        self.began = time.monotonic()
        for target in (self._watch, self._listen):
            threading.Thread(target=target, daemon=True).start()

    def _listen(self):
        for line in self.process.stdout:
            self.said.append((time.monotonic() - self.began, self.cpu(), line.rstrip()))

    def look(self):
        """Read /proc once."""
        memory = 0
        for stat in Path("/proc").glob("[0-9]*/stat"):
            try:
                fields = stat.read_text().rpartition(")")[2].split()
                if int(fields[3]) != self.process.pid:
                    continue
                pid = int(stat.parent.name)
                compiles = b"compiling.making" in (stat.parent / "cmdline").read_bytes()
                self.spent[pid] = (sum(map(int, fields[11:13])) / TICK, compiles)
                memory += int(re.search(r"Pss: +(\d+)", (stat.parent / "smaps_rollup").read_text())[1])
            except (OSError, ValueError, TypeError, IndexError):
                continue
        self.memory = memory / 1024
        self.peak = max(self.peak, self.memory)

    def _watch(self):
        while not self.ended:
            self.look()
            time.sleep(0.05)

    def cpu(self, compiling=False):
        return sum(s for s, c in list(self.spent.values()) if compiling or not c)

    def wait(self, seconds=1800):
        self.process.wait(seconds)
        self.close()
        return self

    def close(self):
        self.look()
        self.ended = True
        try:
            os.killpg(self.process.pid, signal.SIGTERM)
            self.process.wait(10)
        except (ProcessLookupError, subprocess.TimeoutExpired):
            pass
        for pid in list(self.spent):
            try:
                os.kill(pid, signal.SIGKILL)
            except OSError:
                continue


class Copy:
    """A tree's sources alone in a folder, with folders of its own for all that is kept."""

    def __init__(self, tree):
        self.at = Path(tempfile.mkdtemp(prefix="gulch-cold-"))
        files = subprocess.check_output(["git", "-C", tree, "ls-files", "src"], text=True).split()
        for name in files:
            (self.at / name).parent.mkdir(parents=True, exist_ok=True)
            shutil.copy(Path(tree) / name, self.at / name)
        self.env = os.environ | {
            "PYTHONPATH": str(self.at / "src"),
            "HOME": str(self.at / "home"),
            "XDG_CACHE_HOME": str(self.at / "cache"),
            "GULCH_HOME": str(self.at / "gulch"),
        }

    def group(self, *args, pin=None):
        command = [sys.executable, "-m", "gulch.main", *args]
        return Group(["taskset", "-c", pin, *command] if pin else command, self.env)

    def demo(self, name):
        return str(self.at / f"src/gulch/demo/juniper_flats_{name}.json")


def row(what, seconds, cpu, peak, more=""):
    print(f"{what:48s} {seconds:7.1f} s  {cpu:7.1f} s CPU  {peak:6.0f} MB  {more}", flush=True)


def ask(method, path, body=None):
    """(status, text, version) of a request as the demo user makes it."""
    line = http.client.HTTPConnection("127.0.0.1", PORT, timeout=600)
    headers = {"Cookie": "gulch_csrf=" + "a" * 32 + getattr(ask, "session", ""), "X-CSRFToken": "a" * 32}
    headers |= {"HX-Request": "true"} if body else {}
    line.request(method, path, body, headers | {"Content-Type": "application/x-www-form-urlencoded"})
    answer = line.getresponse()
    for cookie in answer.headers.get_all("Set-Cookie") or ():
        if cookie.startswith("gulch_session="):
            ask.session = "; " + cookie.split(";")[0]
    return answer.status, answer.read().decode(errors="replace"), answer.getheader("X-Gulch-Version")


def served(copy, what):
    """A demo server: when and at what price it was ready, and the first page."""
    group = copy.group("demo", "--port", str(PORT))
    while not any("ready" in line for _, _, line in list(group.said)):
        if group.process.poll() is not None:
            raise SystemExit("\n".join(line for *_, line in group.said))
        time.sleep(0.02)
    group.look()
    first = group.said[0]
    row(f"{what}: ready", time.monotonic() - group.began, group.cpu(), group.memory, f"first word after {first[0]:.1f} s")
    group.said.clear()
    return group


def edits(group, what):
    """The first edit of each demo, until its figures are there."""
    _, text, _ = ask("GET", "/")
    found = dict.fromkeys(re.findall(r'href="/p/(\d+)/', text))
    for number in sorted(found, key=int):
        _, text, version = ask("GET", f"/p/{number}/process/")
        title = re.search(r"<title>([^<]*)", text)[1]
        name = next((n for n in EDITS if n in title.lower()), None)
        if name is None:
            continue
        address, value = EDITS[name]
        began, cpu, compiled = time.monotonic(), group.cpu(), group.cpu(True) - group.cpu()
        form = f"address={address}&value={value.replace(' ', '+').replace('%', '%25')}&version={version}&client=b&stage=process"
        status, text, _ = ask("POST", f"/p/{number}/do/set/", form)
        while status == 200 and 'id="solving"' in text:
            time.sleep(0.2)
            status, text, _ = ask("GET", f"/p/{number}/process/")
        group.look()
        beside = group.cpu(True) - group.cpu() - compiled
        seconds = time.monotonic() - began
        row(f"{what}: edit of {name}", seconds, group.cpu() - cpu, group.memory, f"compiling beside: {beside:.1f} s CPU; status {status}")


def cold(tree):
    copy = Copy(tree)
    try:
        for name in DEMOS:
            group = copy.group("solve", copy.demo(name), "--json").wait()
            row(f"gulch solve, {name}", time.monotonic() - group.began, group.cpu(True), group.peak, f"exit {group.process.returncode}")
        group = served(copy, "fresh home")
        edits(group, "fresh home")
        group.close()
        if (copy.at / "src/gulch/engine/compiling").exists():
            alone = Copy(tree)
            group = alone.group("compile", pin="0").wait()
            row("all kernels, one core", time.monotonic() - group.began, group.cpu(True), group.peak)
            group = alone.group("compile").wait()
            shutil.rmtree(alone.at, ignore_errors=True)
    finally:
        shutil.rmtree(copy.at, ignore_errors=True)


def start(tree):
    copy = Copy(tree)
    try:
        copy.group("compile").wait()
        for _ in range(2):
            group = served(copy, "a later start")
            time.sleep(12)
            group.look()
            row("a later start: at rest", 12, group.cpu(), group.memory, memory_of(group))
            edits(group, "a later start")
            row("a later start: after edits", 0, group.cpu(), group.memory, memory_of(group))
            group.close()
        for name in DEMOS:
            group = copy.group("solve", copy.demo(name), "--json").wait()
            row(f"gulch solve, {name}", time.monotonic() - group.began, group.cpu(True), group.peak)
        everything = "import numpy, scipy.optimize, scipy.integrate, numba, pydantic, networkx, chemicals, thermo.unifac, pint"
        group = Group([sys.executable, "-c", everything], copy.env).wait()
        row("importing what it stands on", time.monotonic() - group.began, group.cpu(True), group.peak)
    finally:
        shutil.rmtree(copy.at, ignore_errors=True)


def memory_of(group):
    """PSS and private memory of each process [MB]."""
    out = []
    for pid in sorted(group.spent):
        try:
            text = Path(f"/proc/{pid}/smaps_rollup").read_text()
            name = Path(f"/proc/{pid}/cmdline").read_bytes().replace(b"\0", b" ").decode()
        except OSError:
            continue
        private = sum(int(n) for n in re.findall(r"Private_\w+: +(\d+)", text)) / 1024
        kind = "server" if "gulch.main" in name else "fork server or worker" if "forkserver" in name else "tracker"
        whole = int(re.search(r"Pss: +(\d+)", text)[1]) / 1024
        out.append(f"{kind} {whole:.0f} ({private:.0f} own)")
    return json.dumps(out, ensure_ascii=False)


if __name__ == "__main__":
    what, *rest = sys.argv[1:]
    {"cold": cold, "start": start}[what](rest[0] if rest else str(Path(__file__).parents[1]))
