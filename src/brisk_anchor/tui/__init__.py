"""The full-screen application. It shows and asks; it works nothing out."""
