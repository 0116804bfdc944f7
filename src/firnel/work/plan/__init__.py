"""Plans: made, kept in versions, drawn, and split into batches."""
