"""Learns the demo's machines anew of the demo's batches, and writes what the package brings along of them.

    python tools/demo_models.py

To be run where the demo's batches, or how a machine is learned, have changed: a test tells.
"""

import gzip
import json
from pathlib import Path
from tempfile import TemporaryDirectory

import firnel
from firnel.app import demo_library, demo_models
from firnel.core.model.document import model_to_document
from firnel.store.library import Library
from firnel.work.machines.knowledge import model_of, usable_batches


def main() -> None:
    """Make the demo without what was brought along, and keep what was learned."""
    demo_library.models_brought = dict
    with TemporaryDirectory() as folder:
        path = Path(folder) / "demo.sqlite"
        demo_library.build_demo_library(path, progress=print)
        library = Library(path)
        brought = {}
        for machine in library.machines():
            model, _ = model_of(library, machine)
            batches = [
                batch
                for batch in usable_batches(library, machine)[0]
                if batch.label in (*model.report.batches, *model.report.refused)
            ]
            brought[machine.name] = {
                "of": demo_models.fingerprint(batches),
                "model": model_to_document(model, machine.heat_kinds),
            }
        library.close()
    written = gzip.compress(json.dumps(brought, sort_keys=True).encode(), mtime=0)
    where = Path(firnel.__file__).parent / demo_models.WHERE
    where.parent.mkdir(exist_ok=True)
    where.write_bytes(written)
    print(f"{where}: {len(written) / 1000:.0f} kB, {', '.join(brought)}")


if __name__ == "__main__":
    main()
