"""The results: characteristics of a part with their verdicts, and what many parts say."""
