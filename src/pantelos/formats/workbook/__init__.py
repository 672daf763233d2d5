"""Workbooks: XLSX, XLS, ODS; a sheet is read as the text it makes, and samples are written with a row of units."""
