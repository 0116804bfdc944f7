"""What a user does, as plain Python: run a batch, weigh it, review it, keep the records."""
