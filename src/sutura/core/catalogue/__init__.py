"""What the catalogue knows of a device: its numbers, face, need, functions, screws and sheet.

A pack file is checked in two passes: the published JSON Schema (shape) in `formats.pack`, then `problems_of`
here
(sense: screws that come out go back, the battery is first and last, no step is hotter than its place allows).
"""
