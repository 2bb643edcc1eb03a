"""What is known of mail servers: how to reach them, and what each was last known to have."""
