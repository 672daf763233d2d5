"""Every table and sheet of a study: what it computes, explains and shows (kinds/, a file each), and the report they make."""
