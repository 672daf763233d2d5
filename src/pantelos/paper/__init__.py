"""What pictures are made of: paper to draw on, axes, and the hue and weight a channel is drawn with. Nothing here knows Qt.

Figures know no toolkit. What a panel shows is drawn on Paper (paper/paper.py): lines, areas, words, inks by name.
desktop/drawing/qt_paper.py brings it into widgets, images and SVG, paper/svg.py and sheets/pdf_paper.py into pages; anything
else that can draw a line can stand in its place.
"""
