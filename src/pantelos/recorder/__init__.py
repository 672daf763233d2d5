"""Recording to order: what is wanted, the recorder at the other end of a link, rows that stream into a recording."""
