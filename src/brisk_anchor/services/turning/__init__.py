"""A lathe at work: its file, zero by cutting, tools, families, targets; stored, proved and entered in the book."""
