"""Headless verbs, one module a family: judgements, data and readable text from files or the journal."""
