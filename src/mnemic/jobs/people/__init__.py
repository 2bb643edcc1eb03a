"""What people do: with messages, folders, labels and contacts; and what they are told."""
