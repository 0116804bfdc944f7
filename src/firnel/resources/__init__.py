"""Fonts, icons, styles, register maps and demo data that ship with Firnel."""
