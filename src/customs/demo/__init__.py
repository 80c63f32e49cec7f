"""The Verdigris Glasshouse: demo goods made by code, each arriving wrong in its own way."""
