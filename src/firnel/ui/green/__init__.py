"""The green view: lots of green coffee."""
