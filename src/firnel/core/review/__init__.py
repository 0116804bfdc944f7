"""After the roast: batches compared, judged alike or not, and watched over time."""
