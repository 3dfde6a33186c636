"""One file per command: `add_arguments(parser)` and `run(arguments) -> exit code`."""
