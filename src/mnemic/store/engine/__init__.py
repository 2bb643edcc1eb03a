"""The database file: tables, connections, who writes when, what readers remember, backup."""
