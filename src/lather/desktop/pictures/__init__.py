"""Pictures of the program, made by driving its real window."""
