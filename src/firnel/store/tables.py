"""The tables of a library, the same on SQLite and PostgreSQL. Change them only together with a migration."""

from __future__ import annotations

from typing import cast

from sqlalchemy import (
    JSON,
    Boolean,
    Column,
    Date,
    DateTime,
    Float,
    ForeignKey,
    Index,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    TypeDecorator,
    false,
)
from sqlalchemy.engine.interfaces import Dialect

from firnel.core.words import printable

#: The migration this Firnel writes; tests compare it with the newest file in migrations/versions.
HEAD = "0011"


class _Printable(TypeDecorator[str]):
    def process_bind_param(self, value: str | None, dialect: Dialect) -> str | None:
        """As it is kept."""
        return value if value is None else printable(value)

    def process_result_value(self, value: str | None, dialect: Dialect) -> str | None:
        """As it is read, from an older library too."""
        return value if value is None else printable(value)


class Words(_Printable):
    """So many letters of somebody's at most, without what no table can hold."""

    impl = String
    cache_ok = True

    @property
    def most(self) -> int:
        """So many letters."""
        return cast("String", self.impl_instance).length or 0


class Lines(_Printable):
    """As many letters as there are, without what no table can hold."""

    impl = Text
    cache_ok = True


metadata = MetaData(
    naming_convention={
        "ix": "ix_%(column_0_label)s",
        "uq": "uq_%(table_name)s_%(column_0_name)s",
        "fk": "fk_%(table_name)s_%(column_0_name)s_%(referred_table_name)s",
        "pk": "pk_%(table_name)s",
    }
)

lots = Table(
    "lots",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Words(200), nullable=False, unique=True),
    Column("origin", Words(100), nullable=False, default=""),
    Column("station", Words(200), nullable=False, default=""),
    Column("variety", Words(200), nullable=False, default=""),
    Column("process", Words(100), nullable=False, default=""),
    Column("altitude_m", Float),
    Column("harvest", Words(40), nullable=False, default=""),
    Column("arrival", Words(40), nullable=False, default=""),
    # As counted at ``counted_at``; what has been charged since is taken off when it is read.
    Column("on_hand_kg", Float),
    Column("counted_at", DateTime(timezone=True)),
    Column("density_g_per_l", Float),
    Column("moisture", Float),
    Column("remark", Lines, nullable=False, default=""),
    Column("bags", Integer),
    Column("price_per_kg", Float),
    Column("water_activity", Float),
    Column("mean_mm", Float),
    Column("replaces", Words(200), nullable=False, default="", server_default=""),
    Column("archived", Boolean, nullable=False, default=False, server_default=false()),
    # What it is a sample of (offer, pre-shipment, arrival), empty for a lot that was bought; and what was decided of it.
    Column("sample", Words(30), nullable=False, default="", server_default=""),
    Column("verdict", Words(200), nullable=False, default="", server_default=""),
)

measurements = Table(
    "measurements",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("lot_id", ForeignKey("lots.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("taken_at", DateTime(timezone=True), nullable=False),
    Column("kind", Words(30), nullable=False),
    Column("document", JSON, nullable=False),
    Column("struck", Boolean, nullable=False, default=False, server_default=false()),  # taken away, and can be brought back
)

machines = Table(
    "machines",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Words(200), nullable=False, unique=True),
    Column("kind", Words(100), nullable=False),
    Column("heat", Words(20), nullable=False),
    Column("stated_load_kg", Float, nullable=False),
    Column("useful_load_kg", Float, nullable=False),
    Column("controls", JSON, nullable=False),
    Column("yellow_c", Float, nullable=False),
    Column("first_crack_c", Float, nullable=False),
    Column("air_probe", Words(40), nullable=False),
    Column("device_url", Words(400), nullable=False, default=""),
    # What only the machine's own page shows: probes, tray, routines.
    Column("details", JSON, nullable=False, default=dict, server_default="{}"),
    Column("archived", Boolean, nullable=False, default=False, server_default=false()),
)

machine_models = Table(
    "machine_models",
    metadata,
    Column("machine_id", ForeignKey("machines.id", ondelete="CASCADE"), primary_key=True),
    Column("made_at", DateTime(timezone=True), nullable=False),
    Column("document", JSON, nullable=False),
)

machine_log = Table(
    "machine_log",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("machine_id", ForeignKey("machines.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("kind", Words(30), nullable=False),  # care, probe, seasoning, draft
    Column("document", JSON, nullable=False),
    Column("struck", Boolean, nullable=False, default=False, server_default=false()),
)

# What the house has decided once for all: rules of handling and the like, by name.
house = Table(
    "house",
    metadata,
    Column("name", Words(60), primary_key=True),
    Column("document", JSON, nullable=False),
)

plans = Table(
    "plans",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Words(200), nullable=False),
    Column("lot_id", ForeignKey("lots.id")),
    Column("machine_id", ForeignKey("machines.id")),
    Column("document", JSON, nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
    Column("archived", Boolean, nullable=False, default=False, server_default=false()),
)

# Every version of every plan, the newest too.
plan_versions = Table(
    "plan_versions",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("plan_id", ForeignKey("plans.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("number", Integer, nullable=False),
    Column("saved_at", DateTime(timezone=True), nullable=False),
    Column("why", Lines, nullable=False, default=""),
    Column("document", JSON, nullable=False),
)

batches = Table(
    "batches",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("label", Words(40), nullable=False),
    Column("lot_id", ForeignKey("lots.id")),
    Column("machine_id", ForeignKey("machines.id")),
    Column("plan_id", ForeignKey("plans.id")),
    Column("plan_version", Integer),
    Column("status", Words(20), nullable=False),
    Column("started", DateTime(timezone=True), nullable=False),
    Column("load_kg", Float),
    Column("roasted_kg", Float),
    Column("colour_whole", Float),
    Column("colour_ground", Float),
    Column("room_c", Float),
    Column("remark", Lines, nullable=False, default=""),
    Column("operator", Words(80), nullable=False, default="", server_default=""),
    # Where the journal stood: lets a batch be gone on with after a crash.
    Column("last_t", Float),
    Column("last_wall", Float),
    Column("clock_rate", Float, nullable=False, default=1.0),
    # Derived from the marks whenever they change, so that a long list needs no readings.
    Column("drying_s", Float),
    Column("browning_s", Float),
    Column("development_s", Float),
    Column("total_s", Float),
    Column("drop_c", Float),
    Column("search_text", Lines, nullable=False, default=""),
    # Which batch this is, wherever its row or its spilled readings lie.
    Column("token", Words(40), nullable=False, default="", server_default=""),
    # The process that writes it, and when it last did; empty once it is finished.
    Column("owner", Words(200), nullable=False, default="", server_default=""),
    Column("seen_at", Float),
    # Why it is left out of charts and fits; empty where it counts.
    Column("left_out", Lines, nullable=False, default="", server_default=""),
    # The house's own words, separated by spaces; which results are not measured; what went wrong, None while nobody has looked.
    Column("tags", Lines, nullable=False, default="", server_default=""),
    Column("declined", Words(80), nullable=False, default="", server_default=""),
    Column("events", Lines),
)
Index("uq_batches_label", batches.c.label, unique=True)
Index("ix_batches_started_id", batches.c.started, batches.c.id)
# A search reads down this one, newest first, and looks at the batches themselves only where the words are found. A server has
# its own ways, and no room for long remarks in an index.
Index("ix_batches_search", batches.c.started, batches.c.id, batches.c.search_text).ddl_if(dialect="sqlite")
Index("ix_batches_status", batches.c.status)
# What was charged of a lot since it was counted is summed from this alone.
Index("ix_batches_lot_id_started", batches.c.lot_id, batches.c.started, batches.c.status, batches.c.load_kg)
Index("ix_batches_machine_id", batches.c.machine_id)
Index("ix_batches_plan_id_version", batches.c.plan_id, batches.c.plan_version, batches.c.started)

# What was mended in batches, with what stood there before.
corrections = Table(
    "corrections",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("who", Words(80), nullable=False, default=""),
    Column("field", Words(40), nullable=False),
    Column("before", Lines, nullable=False, default=""),
    Column("after", Lines, nullable=False, default=""),
)

readings = Table(
    "readings",
    metadata,
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True),
    Column("seq", Integer, primary_key=True, autoincrement=False),
    Column("t", Float, nullable=False),
    Column("bean", Float),
    Column("air", Float),
    Column("gas", Float),
    Column("airflow", Float),
    Column("drum", Float),
    # The settings of all other controls, by key.
    Column("more", JSON(none_as_null=True)),
    Column("quality", Integer, nullable=False, default=0),
    sqlite_with_rowid=False,
)

marks = Table(
    "marks",
    metadata,
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True),
    Column("kind", Words(30), primary_key=True),
    Column("t", Float, nullable=False),
    Column("bean", Float),
    Column("found", Words(20), nullable=False),
)

moves = Table(
    "moves",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("control", Words(20), nullable=False),
    Column("t", Float, nullable=False),
    Column("value", Float, nullable=False),
    Column("found", Words(20), nullable=False),
)

notes = Table(
    "notes",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("t", Float, nullable=False),
    Column("kind", Words(30), nullable=False),
    Column("text", Lines, nullable=False),
)

# Batches that wait to be roasted, each with the number that its label promises; what was begun or taken out stays, so that no
# number is given twice.
waiting = Table(
    "waiting",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("number", Words(40), nullable=False),
    Column("plan_id", ForeignKey("plans.id"), nullable=False),
    Column("plan_version", Integer, nullable=False),
    Column("lot_id", ForeignKey("lots.id")),
    Column("machine_id", ForeignKey("machines.id")),
    Column("load_kg", Float),
    Column("place", Integer, nullable=False),
    Column("state", Words(20), nullable=False),  # waiting, begun, out
    Column("printed", Boolean, nullable=False, default=False, server_default=false()),
    Column("weighed", Boolean, nullable=False, default=False, server_default=false()),
)
Index("uq_waiting_number", waiting.c.number, unique=True)

# The last number given, so that none is given twice whoever asks.
counters = Table(
    "counters",
    metadata,
    Column("name", Words(40), primary_key=True),
    Column("value", Integer, nullable=False),
)

# What is being worked on and not kept yet, with its way back.
drafts = Table(
    "drafts",
    metadata,
    Column("name", Words(80), primary_key=True),
    Column("changed_at", DateTime(timezone=True), nullable=False),
    Column("document", JSON, nullable=False),
)

# What the bench notes of a batch: colour readings, inspections.
bench_notes = Table(
    "bench_notes",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("kind", Words(30), nullable=False),  # colour, inspection
    Column("document", JSON, nullable=False),
)

# Tables that were set: cuppings, triangle and paired tests.
tables_set = Table(
    "tables_set",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("kind", Words(30), nullable=False),  # cupping, triangle, paired
    Column("name", Words(200), nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("revealed", Boolean, nullable=False, default=False, server_default=false()),
    Column("document", JSON, nullable=False),
)

# What is sold: its lots and shares, plans, packs and rest stand in the document. ``version`` counts its changes.
coffees = Table(
    "coffees",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("name", Words(200), nullable=False, unique=True),
    Column("document", JSON, nullable=False),
    Column("since", DateTime(timezone=True), nullable=False),  # what was roasted before is no stock of it
    Column("version", Integer, nullable=False, server_default="1"),
    Column("archived", Boolean, nullable=False, default=False, server_default=false()),
)

orders = Table(
    "orders",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("coffee_id", ForeignKey("coffees.id"), nullable=False, index=True),
    Column("kg", Float, nullable=False),
    Column("due", Date, nullable=False),
    Column("customer", Words(200), nullable=False, default="", server_default=""),
    Column("packs", JSON, nullable=False),
    Column("every_days", Integer, nullable=False, server_default="0"),
    Column("state", Words(20), nullable=False),  # open, packed, cancelled
    Column("entered_at", DateTime(timezone=True), nullable=False),
    Column("version", Integer, nullable=False, server_default="1"),
)
Index("ix_orders_state_due", orders.c.state, orders.c.due)

# Roasted coffee that left the shelf: of which batch, for which order.
packed = Table(
    "packed",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), nullable=False, index=True),
    Column("order_id", ForeignKey("orders.id"), index=True),
    Column("kg", Float, nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),
)

# Of batches whose green was blended before the roast: how much of the load each lot is.
parts = Table(
    "parts",
    metadata,
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True),
    Column("lot_id", ForeignKey("lots.id"), primary_key=True),
    Column("share", Float, nullable=False),
)
Index("ix_parts_lot_id", parts.c.lot_id)

# The computers that share a library on a server, each by its own name.
stations = Table(
    "stations",
    metadata,
    Column("name", Words(80), primary_key=True),
    Column("process", Words(200), nullable=False),
    Column("who", Words(80), nullable=False, default="", server_default=""),
    Column("version", Words(40), nullable=False, default="", server_default=""),
    Column("seen_at", DateTime(timezone=True), nullable=False),  # by the server's clock
    Column("clock_off_s", Float, nullable=False, default=0.0, server_default="0"),
)

# What the station that roasts a batch says of it now, for those who watch.
live = Table(
    "live",
    metadata,
    Column("batch_id", ForeignKey("batches.id", ondelete="CASCADE"), primary_key=True, autoincrement=False),
    Column("station", Words(80), nullable=False),
    Column("at", DateTime(timezone=True), nullable=False),  # by the server's clock
    Column("document", JSON, nullable=False),
)

# Who did what, where several work on one library.
deeds = Table(
    "deeds",
    metadata,
    Column("id", Integer, primary_key=True),
    Column("at", DateTime(timezone=True), nullable=False),
    Column("station", Words(80), nullable=False, default="", server_default=""),
    Column("who", Words(80), nullable=False, default="", server_default=""),
    Column("what", Lines, nullable=False),
)
Index("ix_deeds_at", deeds.c.at)
