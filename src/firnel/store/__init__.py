"""The library on disk: tables, migrations, the roast journal."""
