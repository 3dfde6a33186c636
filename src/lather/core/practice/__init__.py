"""Practice: made-up sitters with flaws whose clean truth is known. The same plates serve demo, tests and benchmark."""
