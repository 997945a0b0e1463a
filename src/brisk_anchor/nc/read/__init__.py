"""Reading and running NC text: scanner, expressions, blocks, the interpreter and what it needs of a machine."""
