"""What is what on the pages of a PDF: headings, paragraphs, grids with their heads, figures with words in their place.

Readers aloud, archives and programs that take a table out of a file go by these marks; what only decorates is marked as that.

Source: ISO 32000-1 clauses 14.7 (logical structure) and 14.8 (tagged PDF).
"""

from collections.abc import Iterator
from contextlib import contextmanager

from fpdf import FPDF
from fpdf.structure_tree import StructElem, StructureTreeBuilder
from fpdf.syntax import PDFObject


class _Tree(StructureTreeBuilder):  # type: ignore[misc] # the library tells no types
    """The tree of marks of a file, of any depth: the one of the library holds figures below the document only."""

    def __init__(self) -> None:
        super().__init__()
        self.nodes: list[StructElem] = []  # all below the document

    def __iter__(self) -> Iterator[PDFObject]:
        yield self.struct_tree_root
        yield self.doc_struct_elem
        yield self.struct_tree_root.parent_tree
        yield from self.nodes


class Tags:
    """Marks what is written on the pages of a file."""

    def __init__(self, page: FPDF) -> None:
        self._page, self._tree = page, _Tree()
        page.struct_builder = self._tree
        self._open: list[StructElem] = []
        self._n_marked: dict[int, int] = {}  # of each page

    @contextmanager
    def node(self, kind: str, alt: str | None = None) -> Iterator[None]:
        """Open a part of the document: `H1`, `H2`, `P`, `Table`, `TR`, `TH`, `TD`, `Figure`; what holds nothing is left out."""
        parent = self._open[-1] if self._open else self._tree.doc_struct_elem
        made = StructElem(f"/{kind}", parent, [], self._page.page, alt=alt)
        self._open.append(made)
        before = len(self._tree.nodes)
        self._tree.nodes.append(made)
        parent.k.append(made)
        try:
            yield
        finally:
            self._open.pop()
            if not made.k:
                parent.k.remove(made)
                del self._tree.nodes[before]

    @contextmanager
    def content(self) -> Iterator[None]:
        """Mark what is drawn as the content of the part that is open; as decoration where none is."""
        if not self._open:
            with self.decoration():
                yield
            return
        number, page = self._page.page, self._page.pages[self._page.page]
        mark = self._n_marked.get(number, 0)
        self._n_marked[number] = mark + 1
        holder = self._holder(number)
        holder.k.append(mark)
        holder.pg = page
        parents = self._tree.spid_per_page_number.setdefault(number, len(self._tree.spid_per_page_number))
        page.struct_parents = parents
        self._tree.struct_tree_root.parent_tree.nums[parents].append(holder)
        self._page._out(f"{holder.s} <</MCID {mark}>> BDC")
        yield
        self._page._out("EMC")

    @contextmanager
    def decoration(self) -> Iterator[None]:
        """Mark what is drawn as no part of the document."""
        self._page._out("/Artifact BMC")
        yield
        self._page._out("EMC")

    def _holder(self, number: int) -> StructElem:
        """Return the part that is open, or where that began on another page one of its kind for this page beside it."""
        part = self._open[-1]
        if part.page_number() == number or not part.k:
            part._page_number = number
            return part
        parent = self._open[-2] if len(self._open) > 1 else self._tree.doc_struct_elem
        made = StructElem(str(part.s), parent, [], number)
        parent.k.append(made)
        self._tree.nodes.append(made)
        self._open[-1] = made
        return made
