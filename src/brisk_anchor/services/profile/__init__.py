"""Control profiles proved with a sample of every kind of program."""
