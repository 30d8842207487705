"""Fix rules derived from what two releases declare and what tools say. Nothing here knows a project."""
