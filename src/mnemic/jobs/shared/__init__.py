"""What several jobs need: circumstances, selections, effects of rules and how they are made."""
