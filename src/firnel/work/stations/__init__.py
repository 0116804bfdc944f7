"""Several stations on one library: who is at work, and what they roast."""
