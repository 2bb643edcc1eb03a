"""The journal: every change with before and after, the trail of rules, undo and history."""
