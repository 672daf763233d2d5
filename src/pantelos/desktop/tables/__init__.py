"""The Tables page: the tables of the study as they will be exported."""
