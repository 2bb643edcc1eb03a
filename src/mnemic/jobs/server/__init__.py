"""Connected accounts: their mail is mirrored, followed, and what is done here is done there."""
