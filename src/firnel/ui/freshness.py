"""Which views still show what the library holds: those are not read again when somebody goes to them."""

from __future__ import annotations

from firnel.ui.shared.station import Station
from firnel.work.desk import Desk


class Freshness:
    """Remembers how everything stood when each view was last read."""

    def __init__(self, desk: Desk) -> None:
        self._desk = desk
        self._read_at: dict[Station, tuple[object, ...]] = {}
        self._tried_at: dict[Station, tuple[object, ...]] = {}

    def _now(self) -> tuple[object, ...] | None:
        """All that a view reads, as something that can be compared; None where that cannot be told."""
        stamp = self._desk.stamp
        if stamp is None:
            return None
        desk = self._desk
        return stamp, desk.settings, desk.clock.wall().astimezone().date(), desk.session.recording, desk.link.state

    def is_fresh(self, view: Station) -> bool:
        """Whether nothing has changed since a view was read."""
        now = self._now()
        return now is not None and self._read_at.get(view) == now

    def may_be_freshened(self, view: Station) -> bool:
        """Whether something has changed since a view was read or tried: what is refused is not asked for over and over."""
        now = self._now()
        return now is not None and self._tried_at.get(view) != now

    def read(self, view: Station) -> None:
        """Have a view read what the library holds; where that does not answer, it shows what it had."""
        now = self._now()  # before it is read: what is written meanwhile is read the next time
        self._read_at.pop(view, None)
        if now is not None:
            self._read_at[view] = self._tried_at[view] = now
        view.read()

    def forget(self) -> None:
        """Something was not read: every view is read again when it is gone to."""
        self._read_at.clear()
