"""Makes the tones that Firnel ships: two sines with a soft beginning and end, each a WAV of a second at most."""

import wave
from pathlib import Path

import numpy as np

RATE = 22050
#: Each tone as (frequency [Hz], seconds) one after the other; 0 Hz is silence.
TONES = {
    "move": ((660.0, 0.16), (880.0, 0.22)),
    "soon": ((520.0, 0.14),),
    "drop": ((880.0, 0.12), (0.0, 0.05), (880.0, 0.12), (0.0, 0.05), (1175.0, 0.34)),
    "warning": ((740.0, 0.18), (494.0, 0.18), (740.0, 0.18), (494.0, 0.24)),
}


def tone(frequency: float, seconds: float) -> np.ndarray:
    t = np.arange(int(RATE * seconds)) / RATE
    edge = np.minimum(1.0, np.minimum(t, seconds - t) / 0.02)
    return edge * (0.7 * np.sin(2 * np.pi * frequency * t) + 0.2 * np.sin(4 * np.pi * frequency * t))


def main() -> None:
    folder = Path(__file__).parents[1] / "src" / "firnel" / "resources" / "sounds"
    folder.mkdir(exist_ok=True)
    for name, parts in TONES.items():
        samples = np.concatenate([tone(*part) for part in parts])
        with wave.open(str(folder / f"{name}.wav"), "wb") as file:
            file.setnchannels(1)
            file.setsampwidth(2)
            file.setframerate(RATE)
            file.writeframes((20000 * samples).astype("<i2").tobytes())


if __name__ == "__main__":
    main()
