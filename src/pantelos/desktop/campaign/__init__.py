"""The Campaign page: recipe and records at the left, the ledger of records, one value over all of them."""
