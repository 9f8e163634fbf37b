"""A small Linux system on loop volumes, with the real service and the real agent."""
import json, os, signal, sqlite3, subprocess, time
from pathlib import Path

REPOSITORY = Path(__file__).resolve().parent.parent


def sh(script):
    done = subprocess.run(["bash", "-ec", script], capture_output=True, text=True)
    if done.returncode:
        raise RuntimeError(f"{script}\n{done.stderr}")
    return done.stdout


def drop_caches():
    sh("sync; echo 3 > /proc/sys/vm/drop_caches")


class Volume:
    """A loop volume that can be created again."""

    def __init__(self, folder, name, point, megabytes):
        self.image, self.name, self.point, self.megabytes, self.loop = folder / f"{name}.img", name, point, megabytes, None

    def fresh(self):
        self.away()
        sh(f"rm -f {self.image}; truncate -s {self.megabytes}M {self.image}; mkfs.ext4 -q -F -L {self.name} -i 4096 -E lazy_itable_init=0,lazy_journal_init=0 {self.image}")
        self.mount()

    def mount(self):
        self.loop = sh(f"losetup --direct-io=on --find --show {self.image}").strip()
        sh(f"mkdir -p {self.point}; mount {self.loop} {self.point}")

    def away(self):
        if self.loop:
            # The agent looks at its machine after every run.
            sh(f"for i in $(seq 300); do umount {self.point} 2>/dev/null && break; sleep 0.2; done; losetup -d {self.loop}; ! mountpoint -q {self.point}")
        self.loop = None

    def read_bytes(self):
        return int(Path(f"/sys/block/{Path(self.loop).name}/stat").read_text().split()[2]) * 512


class Desk:
    """A small Linux system with the real service and the real agent."""

    def __init__(self, folder, size):
        self.folder, self.root = folder, folder / "root"
        self.home = self.root / "home" / "asa.lind"
        sh(f"mkdir -p {self.root}/etc {self.home}; chmod 755 {folder} {self.root}")
        (self.root / "etc/passwd").write_text("root:x:0:0::/root:/bin/sh\nasa.lind:x:1701:1701::/home/asa.lind:/bin/sh\n")
        (self.root / "etc/shadow").write_text("root:*:19000:0:99999:7:::\nasa.lind:!:19000:0:99999:7:::\n")
        self.source = Volume(folder, "source", self.root / "home", size)
        self.target = Volume(folder, "target", self.root / "data", size)
        self.processes = []
        # Where this version keeps its dockets' folders, and where the first ones did.
        self.forget_dockets = f"rm -rf {self.source.point}/.furlough-dockets {self.home}/.furlough-*"

    def original(self):
        """Where the agent has set the folder aside."""
        return next(place for pattern in (".furlough-dockets/*-original/original", "asa.lind/.furlough-*/original") for place in self.source.point.glob(pattern))

    def start(self):
        service = subprocess.Popen([REPOSITORY / "bin/furlough", "service", "start", "--data", self.folder / "service", "--port", "0"], stdout=subprocess.PIPE, text=True)
        self.processes.append(service)
        while not (line := service.stdout.readline()).startswith("listening on"):
            if not line: raise RuntimeError("the service did not start")
        self.address = line.split()[-1]
        self.token = (self.folder / "service/steward-token").read_text().strip()
        code = self.furlough("machine", "invite")["code"]
        other = os.environ.get("BENCH_AGENT")
        agent = subprocess.Popen([other or REPOSITORY / "bin/furlough-agent", "--service", self.address, *(["--code", code] if other else []), "--root", self.root, "--data", self.folder / "agent", "--name", "bench", "--room", "Map Room"],
                                 stdout=subprocess.DEVNULL, stderr=open(self.folder / "agent.log", "w"), env=os.environ | {"FURLOUGH_CODE": code})
        self.processes.append(agent)
        self.agent = agent.pid

    def furlough(self, *arguments):
        environment = os.environ | {"FURLOUGH_SERVICE": self.address, "FURLOUGH_TOKEN": self.token}
        done = subprocess.run([REPOSITORY / "bin/furlough", *arguments, "--json"], capture_output=True, text=True, env=environment)
        if done.returncode: raise RuntimeError(f"{arguments}: {done.stdout}{done.stderr}")
        return json.loads(done.stdout) if done.stdout.strip() else None

    def pointer_home(self, folders=("Documents",)):
        settings = "\\n".join(f'XDG_{f.upper()}_DIR="$HOME/{f}"' for f in folders)
        sh(f"mkdir -p {self.home}/.config; echo -e '{settings}' > {self.home}/.config/user-dirs.dirs; chown -R 1701:1701 {self.home}/.config; chown 1701:1701 {self.home}; chmod 700 {self.home}")

    def wait_for(self, question, what, seconds=600):
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            if (answer := question()): return answer
            time.sleep(0.2)
        raise RuntimeError(f"{what} does not come; see {self.folder}/agent.log")

    def plan(self, text):
        asked = time.time()
        self.wait_for(lambda: self.furlough("machine", "list"), "the machine")
        self.furlough("machine", "survey", "bench")
        brief = self.folder / "brief.yaml"
        brief.write_text(text)

        def ready():
            plan = self.furlough("plan", "make", str(brief))
            # An image in memory is attached in no way that the system tells.
            for code in {h["code"] for h in plan["hazards"] if h["severity"] == "consent"}:
                self.furlough("plan", "consent", str(plan["number"]), "--hazard", code, "--reason", "a bench")
            blocked = [h for h in plan["hazards"] if h["severity"] == "blocking"]
            if blocked or not plan["relocations"]: why.append(blocked or "no relocations")
            return plan if plan["relocations"] and not blocked and time.time() - asked > 1 else None
        why = []
        try: plan = self.wait_for(ready, "a plan without hazards", 120)
        except RuntimeError as error: raise RuntimeError(f"{error}: {why[-1]}")
        return plan

    def states(self, docket):
        with sqlite3.connect(f"file:{self.folder}/agent/agent.db?mode=ro", uri=True) as db:
            return [json.loads(body) for (body,) in db.execute("SELECT body FROM bulletin WHERE docket = (SELECT docket FROM bulletin ORDER BY number DESC LIMIT 1) ORDER BY number")]

    def act(self, *arguments):
        """Runs a command that makes the agent work; returns the seconds by the agent's own bulletins and by the clock on the wall."""
        before = len(self.bulletins())
        began = time.monotonic()
        self.furlough(*arguments)
        end = self.wait_for(lambda: next((b for b in self.bulletins()[before:] if b["state"] in ("switched", "finished", "failed", "returned", "backed-out")), None), "the end")
        wall = time.monotonic() - began
        if end["state"] in ("failed", "backed-out"): raise RuntimeError(end["failure"])
        new = self.bulletins()[before:]
        return seconds_between(new[0]["at"], end["at"]), wall, new

    def bulletins(self):
        with sqlite3.connect(f"file:{self.folder}/agent/agent.db?mode=ro", uri=True) as db:
            return [json.loads(body) for (body,) in db.execute("SELECT body FROM bulletin ORDER BY number")]

    def peak_megabytes(self):
        status = Path(f"/proc/{self.agent}/status").read_text()
        return int(next(line for line in status.splitlines() if line.startswith("VmHWM")).split()[1]) // 1024

    def stop(self):
        for process in reversed(self.processes):
            process.send_signal(signal.SIGTERM)
            try: process.wait(20)
            except subprocess.TimeoutExpired: process.kill()
        for volume in (self.target, self.source): volume.away()


def seconds_between(first, last):
    from datetime import datetime
    return (datetime.fromisoformat(last) - datetime.fromisoformat(first)).total_seconds()
