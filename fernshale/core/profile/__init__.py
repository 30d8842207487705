"""The engine profile: everything Fernshale knows about one engine."""
