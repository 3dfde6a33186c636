"""Layer kinds whose edits are solved once and kept as patches of changes: what such kinds share."""
