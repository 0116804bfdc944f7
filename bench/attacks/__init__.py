"""What the worst file, disk, machine and moment do; each attack is seeded, and counts what it found."""
