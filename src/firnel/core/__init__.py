"""The computation and the vocabulary: no Qt, no files, no clock, no randomness but a passed generator."""
