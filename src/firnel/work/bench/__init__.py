"""What comes after the roast: weighing, looking, cupping."""
