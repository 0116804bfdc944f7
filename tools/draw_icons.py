"""Draws the icon in all sizes that a desktop asks for: ``python tools/draw_icons.py FOLDER`` fills FOLDER/NxN/apps."""

import sys
from pathlib import Path

from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QGuiApplication, QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer

SIZES = (16, 22, 24, 32, 48, 64, 96, 128, 256, 512)
ICON = Path(__file__).parents[1] / "src" / "firnel" / "resources" / "icons" / "firnel.svg"


def main(folder: Path) -> None:
    """Draw each size."""
    application = QGuiApplication([])
    drawing = QSvgRenderer(str(ICON))
    for size in SIZES:
        image = QImage(size, size, QImage.Format.Format_ARGB32)
        image.fill(0)
        painter = QPainter(image)
        drawing.render(painter, QRectF(0.0, 0.0, float(size), float(size)))
        painter.end()
        path = folder / f"{size}x{size}" / "apps" / "org.firnel.Firnel.png"
        path.parent.mkdir(parents=True, exist_ok=True)
        if not image.save(str(path)):
            raise OSError(f"{path} cannot be written")
    application.quit()


if __name__ == "__main__":
    main(Path(sys.argv[1]))
