"""Derive fix rules from the declarations of two releases and from tool messages. This package knows no project."""
