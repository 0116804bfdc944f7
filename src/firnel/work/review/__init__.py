"""Records: read, corrected, compared and reported."""
