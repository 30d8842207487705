"""Find single values in settings files with their exact span, so that a new value changes no other byte."""

from fernshale.core.survey.value_access.dispatch import find_values
from fernshale.core.survey.value_access.found_value import FoundValue, line_of, replace_values

__all__ = ["FoundValue", "find_values", "line_of", "replace_values"]
