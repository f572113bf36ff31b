"""Files of records and of the history: brought in and sent out."""
