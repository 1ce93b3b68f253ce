"""The frame round every station: head, line, Now card, judgements, keys, files."""
