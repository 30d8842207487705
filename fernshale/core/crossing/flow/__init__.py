"""Everything that spans the stages: carrying actions out, the automatic crossing, several projects, outstanding debts."""
