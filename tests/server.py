"""A real PostgreSQL server for the tests, on a socket of its own: started when it is first wanted, stopped at the end."""

import os
import pwd
import shutil
import signal
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from uuid import uuid4

import psycopg

USER = "firnel"
#: What all databases of the tests take, with room to spare. [bytes]
ROOM = 6 * 1024**3


def binary(name: str) -> str:
    """A program of the server: on the path, or where Debian puts it."""
    found = shutil.which(name) or next(map(str, sorted(Path("/usr/lib/postgresql").glob(f"*/bin/{name}"), reverse=True)), None)
    if found is None:
        raise FileNotFoundError(f"{name} is not there: install PostgreSQL (Debian: postgresql), as ./run test does")
    return found


class Server:
    """One server in a folder of its own. It refuses to run as root: then it is the system's own user for it."""

    def __init__(self, place: Path) -> None:
        self.folder = Path(tempfile.mkdtemp(prefix="fs-", dir=place))  # a socket's path may have 107 characters at most
        self._as: list[str] = []
        if os.geteuid() == 0:
            user = pwd.getpwnam("postgres")
            os.chown(self.folder, user.pw_uid, user.pw_gid)
            self._as = ["setpriv", f"--reuid={user.pw_uid}", f"--regid={user.pw_gid}", "--clear-groups"]
        self._data = str(self.folder / "data")
        self._run(binary("initdb"), "-D", self._data, "-U", USER, "-A", "trust", "-E", "UTF8", "--locale=C", "--no-sync")
        self.start()

    def _run(self, *words: str) -> None:
        subprocess.run([*self._as, *words], check=True, stdout=subprocess.DEVNULL, cwd="/tmp", timeout=60)

    def start(self) -> None:
        """Start it, and wait until it answers."""
        options = f"-k {self.folder} -c listen_addresses='' -c fsync=off -c max_connections=60"
        self._run(binary("pg_ctl"), "-D", self._data, "-w", "-o", options, "-l", str(self.folder / "log"), "start")

    def stop(self, how: str = "immediate") -> None:
        """Stop it, if it runs; ``immediate`` is as if it had been killed."""
        if not (Path(self._data) / "postmaster.pid").exists():
            return
        self.freeze(still=False)
        self._run(binary("pg_ctl"), "-D", self._data, "-w", "-m", how, "stop")

    def freeze(self, still: bool = True) -> None:
        """Let all its processes stand still, or go on: whoever asks it is neither answered nor refused."""
        main = int((Path(self._data) / "postmaster.pid").read_text().split()[0])
        children = subprocess.run(["pgrep", "-P", str(main)], capture_output=True, text=True, check=False).stdout.split()
        for process in (main, *map(int, children)):
            with suppress(ProcessLookupError):  # one that served somebody has ended meanwhile
                os.kill(process, signal.SIGSTOP if still else signal.SIGCONT)

    def url(self, database: str, user: str = USER) -> str:
        """The address of a database on it."""
        return f"postgresql+psycopg://{user}@/{database}?host={self.folder}"

    def do(self, statement: str, database: str = "postgres") -> None:
        """Do something as the server's own user."""
        with psycopg.connect(f"host={self.folder} user={USER} dbname={database}", autocommit=True) as connection:
            connection.execute(statement.encode())

    def new_database(self, pattern: str = "template1") -> str:
        """The name of a database in which nothing stands yet, or what stands in another one that nobody has open."""
        name = f"t{uuid4().hex[:12]}"
        self.do(f"CREATE DATABASE {name} TEMPLATE {pattern}")
        return name


def in_memory() -> Path:
    """Where files lie in memory, if there is room: a database for each test is many files to make and to take away."""
    memory = Path("/dev/shm")
    roomy = memory.is_dir() and os.access(memory, os.W_OK) and shutil.disk_usage(memory).free > ROOM
    return memory if roomy else Path("/tmp")


@contextmanager
def running(place: Path = Path("/tmp")) -> Iterator[Server]:
    """A server for as long as it is wanted."""
    server = Server(place)
    try:
        yield server
    finally:
        server.stop()
        shutil.rmtree(server.folder, ignore_errors=True)
