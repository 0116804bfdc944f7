"""Plans in files of their own."""

from firnel.exchange.plan_file import read_plan_file

__all__ = ["read_plan_file"]
