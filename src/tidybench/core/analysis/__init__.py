"""What a stretch of a run says: questions over times, values and qualities, each with its method. No I/O."""
