"""Channels and their keys: values between keys, cutting, reducing, time laid out."""
