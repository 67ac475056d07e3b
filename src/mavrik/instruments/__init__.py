"""Clients for bench instruments: one small interface, a file a kind."""
