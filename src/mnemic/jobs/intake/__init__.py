"""Mail on its way in: deliveries, imports, arrival."""
