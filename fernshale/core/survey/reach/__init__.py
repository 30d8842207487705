"""Find single values in settings files with their exact span, so that a new value leaves every other byte alone."""

from fernshale.core.survey.reach.find import find_values
from fernshale.core.survey.reach.value import Value, line_of, replace_values

__all__ = ["Value", "find_values", "line_of", "replace_values"]
