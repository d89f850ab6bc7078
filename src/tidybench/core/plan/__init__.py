"""How a run begins, logs and ends, as it is planned. Pure: times come in with the samples."""
