"""Steps as NC text, one writer a control language."""
