"""What is kept: tables, problems, searches, trials, fits, decisions and the ledger, in one folder."""
