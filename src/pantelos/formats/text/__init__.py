"""Text: columns of numbers, delimited or aligned, in whatever way recorders and spreadsheets write them."""
