"""Qt widgets: they show plain values and tell what the user made of them."""
