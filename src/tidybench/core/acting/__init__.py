"""What is said to instruments on a person's word."""
