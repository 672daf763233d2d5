"""Every table and sheet of a study: what it computes, explains and shows (kinds/, a file each), and the report they make.

A sheet is a view of a table. A kind of table (tables/kinds/, a file each) says what it computes, and, where a sheet reads
better than a grid, how it is laid out: headings, words, facts, grids, figures (sheets/blocks.py). tables/composition.py puts
sheets in the order of the study's report. What they are written to knows blocks only: html.py, pdf.py (fpdf2: no browser, no
system library, 20 times as fast as setting HTML), workbook.py, and on the screen desktop/tables/sheet_view.py. fitting.py
parts grids that are too wide, letters.py knows how wide words are. A cell says what it is about, so that it explains itself.
"""
