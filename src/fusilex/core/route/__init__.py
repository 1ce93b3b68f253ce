"""Which way a batch goes: its steps in order, and what speaks for each."""
