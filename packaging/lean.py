"""What only the checks of a checkout need is taken out of a folder of packages: test tools, tests, unused parts of Qt."""

import re
import shutil
import sys
from importlib.metadata import distributions
from pathlib import Path

#: Packages of the lock that nothing of Firnel's own imports.
FOR_CHECKS = (
    "pytest",
    "pytest-qt",
    "pytest-xdist",
    "pytest-rerunfailures",
    "ruff",
    "mypy",
    "mypy-extensions",
    "import-linter",
    "grimp",
    "execnet",
    "iniconfig",
    "pluggy",
    "pathspec",
    "librt",
    "ast-serialize",
    "rich",
    "babel",
    "jeepney",
    "types-openpyxl",
    "types-pyserial",
    "markdown-it-py",
    "mdurl",
)
#: Parts of Qt that Firnel has no use for.
UNUSED_QT = (
    "qml",
    "Qml",
    "Quick",
    "3D",
    "Designer",
    "Sensors",
    "SerialPort",
    "Bluetooth",
    "Nfc",
    "RemoteObjects",
    "Positioning",
)


def main(folder: Path) -> None:
    """Take out of a folder what is not needed there."""
    for found in list(distributions(path=[str(folder)])):
        name = re.sub(r"[-_.]+", "-", found.metadata["Name"]).lower()
        if name in FOR_CHECKS:
            for file in found.files or ():
                there = Path(str(found.locate_file(file)))
                if there.is_file():
                    there.unlink()
    for path in sorted(folder.rglob("tests"), reverse=True):
        if path.is_dir() and path.parent.name != "firnel":
            shutil.rmtree(path)
    qt = folder / "PyQt6" / "Qt6"
    shutil.rmtree(qt / "qml", ignore_errors=True)
    for path in (qt / "lib").glob("libQt6*"):
        if any(word in path.name for word in UNUSED_QT[1:]):
            path.unlink()
    for path in sorted((one for one in folder.rglob("*") if one.is_dir()), reverse=True):
        if not any(path.iterdir()):
            path.rmdir()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
