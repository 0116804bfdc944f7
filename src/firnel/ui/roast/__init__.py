"""The Roast view: drive one batch by keys."""
