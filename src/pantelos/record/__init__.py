"""The record: raw numbers of every channel as recorded, their scaling, and where they are kept."""
