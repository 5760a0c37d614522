"""What is written: addresses, reading and writing what was typed, feeds, edits, variants, pasted tables, what is assumed."""
