"""From ledger and sheet to a route."""
