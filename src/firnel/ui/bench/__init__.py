"""The bench view: weigh and measure what was dropped."""
