"""What bytes and counts tell: what they look like, which settings fit them, which addresses answer."""
