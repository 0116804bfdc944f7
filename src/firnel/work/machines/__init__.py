"""Machines: their care, their documents, and what is known of them."""
