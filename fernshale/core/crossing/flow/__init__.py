"""What spans all stages: carrying actions out, the automatic crossing, several projects, outstanding debts."""
