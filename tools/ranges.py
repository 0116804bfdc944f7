"""The ends of the ranges that pyproject.toml allows its dependencies: constraints for pip, oldest or newest."""

import sys
import tomllib
from pathlib import Path

from packaging.requirements import Requirement


def constraints(which: str, document: Path = Path("pyproject.toml")) -> list[str]:
    """One line for each dependency: exactly its least version, or anything below its bound.

    Raises
    ------
    ValueError : if a dependency lacks a least version or a bound.
    """
    project = tomllib.loads(document.read_text(encoding="utf-8"))["project"]
    found = []
    for line in (*project["dependencies"], *project["optional-dependencies"]["stations"]):
        wanted = Requirement(line)
        ends = {one.operator: one.version for one in wanted.specifier}
        if set(ends) != {">=", "<"}:
            raise ValueError(f"{line}: it needs a least version and a bound, as in numpy>=2.0,<3.")
        found.append(f"{wanted.name}=={ends['>=']}" if which == "oldest" else f"{wanted.name}<{ends['<']}")
    return found


if __name__ == "__main__":
    print("\n".join(constraints(sys.argv[1])))
