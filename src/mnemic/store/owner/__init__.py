"""The owner: accounts, contacts, preferences, and what completes an address."""
