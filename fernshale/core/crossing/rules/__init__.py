"""The fix rules that hold on a leg, and where they match in the project."""
