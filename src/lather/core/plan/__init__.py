"""The plan: what is worth doing, how long it takes, what it costs, what to leave out first."""
