"""Mail: messages, the forms in which they are searched, folders, labels, what goes outside."""
