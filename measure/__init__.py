"""Benchmarks beside their hand-written baselines, in the same run. `./tidy measure` runs them."""
