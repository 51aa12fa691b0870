"""The log of a unit: runs, complaints, changes, photographs, meter logs; and what is learned from it."""
