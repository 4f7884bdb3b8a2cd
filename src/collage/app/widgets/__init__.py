"""Fields and small parts that several places share."""
