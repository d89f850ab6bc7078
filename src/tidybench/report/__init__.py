"""A run as one page that prints: made from its folder alone, without network, database or browser."""
