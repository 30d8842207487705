"""How certain a proposal is by its kind of evidence, 0 to 1, where no fit to data exists.

The confidence of matched symbols is fitted: `drift/weights.toml` has its signals, docs/confidence.md how often each is right. A
number here is the share of proposals of that kind that should be right; from `AUTOMATIC_FROM` on a fix is applied
without asking. A `SHARE_` multiplies the confidence of what a proposal rests on, `ODDS_` its odds.
"""

from __future__ import annotations

# Fixes from this confidence on are applied automatically, unless the user chose another in the settings or for a crossing.
AUTOMATIC_FROM = 0.9

# What a release states: a text that asks for nothing but another name; one that asks for more, or is about some overloads.
STATED = 0.97
STATED_WITH_MORE = 0.6
STATED_FOR_SOME_OVERLOADS = 0.3
# A name that does nothing but call another one; with a cast of its result, which matters to variadic functions; or maybe more.
FORWARDED = 0.93
FORWARDED_WITH_CAST = 0.8
PERHAPS_FORWARDED = 0.2
# Several other names exchanged the same part, and a name that stayed differs by this part only.
SWAPPED_PART = 0.6
# An existing type has most members of the removed one; declarations use it instead as well.
MEMBERS_OF_OTHER = 0.5
MEMBERS_AND_USES_OF_OTHER = 0.85
# An existing function has the parameters of the removed one and a similar name; the removed one called it as well.
TWIN = 0.5
CALLED_TWIN = 0.7
# The successor is of another kind: a class for a function, a member of another class; or a field of another type.
SHARE_OTHER_KIND = 0.5
SHARE_OTHER_TYPE = 0.85

# Rules from changed declarations. Values copied from the release's own code may not fit here.
COPIED_VALUE = 0.6
DEFAULT_ELSEWHERE = 0.45
# A variable of the parameter's type is in scope at all calls; it has the parameter's name as well.
VALUE_IN_SCOPE = 0.5
NAMED_VALUE_IN_SCOPE = 0.65
CALL_REMOVED = 0.3
# Define a removed macro in the files that use it: its value may mean something else in the new release.
OLD_DEFINITION = 0.3
GETTER = 0.92
# A function takes the structure: it has the field's name after words that several of its functions begin with; or its name ends
# like that of the field.
ACCESSOR_OF_MODULE = 0.8
ACCESSOR_OF_OTHER_NAME = 0.55
ARGUMENT_DROPPED = 0.92
REORDERED = 0.8
# A parameter with a default that stands before others now: calls pass its default, and the others keep their order.
PARAMETER_INSERTED = 0.93
STILL_DEFINED = 0.98
# A rewritten call: arguments matched by name; some matched by type; several arguments became one object; a value is unknown, so
# a person has to write it.
SHARE_MATCHED_BY_NAME = 0.95
SHARE_MATCHED_BY_TYPE = 0.85
ARGUMENTS_GATHERED = 0.9
# A new function makes the calls that users made before, one after the other.
CALLS_JOINED = 0.9
PLACEHOLDER = 0.2
# A renamed parameter, and a parameter that replaces another.
SAME_POSITION = 0.93
PARAMETER_REPLACED = 0.7
# An own member that a new member of a base class clashes with gets another name: which one is a matter of taste.
OWN_MEMBER_RENAMED = 0.8
# A method to implement, whose body is a stub; an override with the new types.
STUB = 0.5
# A mark of all derived classes in the new release's examples, and of none in the old one's.
MARK_OF_EXAMPLES = 0.7
RETYPED = 0.8
# An override that a checker reports takes the optional parameters that its base takes now.
OVERRIDE_WIDENED = 0.93

# A type annotation for a variable: all values are made by one class; some values have an unknown type; the maker may be a function;
# the code tests for None.
ONLY_CLASS_ASSIGNED = 0.95
UNKNOWN_VALUE_ASSIGNED = 0.6
PERHAPS_CLASS = 0.6
NONE_HAS_MEANING = 0.3
CAST = 0.85

# Suggestions of a compiler: another spelling; a name elsewhere; any other name, alone or among several.
SUGGESTED_SPELLING = 0.85
SUGGESTED_ELSEWHERE = 0.6
SUGGESTED_ALONE = 0.5
SUGGESTED_AMONG_OTHERS = 0.3
# A changed line that a compiler shows below its error. A compiler knows the types, but not the purpose of the code.
SUGGESTED_CHANGE = 0.8
SHARE_NEXT_TO_CANDIDATES = 0.4
SHARE_OF_DOUBT = 0.35

# Imports of a name: as other files have them; from the only place that declares it; from one of several.
IMPORTED_AS_IN_OTHER_FILES = 0.95
IMPORTED_FROM_ONLY_PLACE = 0.92
IMPORTED_FROM_ONE_OF_SEVERAL = 0.3
# Another module exports the name: only this one, or one with the same path end; one of several. `ODDS_` is for all but the best.
IMPORTED_FROM_OTHER_MODULE = 0.95
IMPORTED_FROM_SIMILAR_MODULE = 0.6
ODDS_OF_NAMESAKE = 0.3
# Remove an import: of a missing name that the file does not use; of a missing header, whose use is unknown.
UNUSED_IMPORT = 0.9
GONE_HEADER = 0.4

# A change that a person made at one place, for places like it, and with further edits at each of them.
LEARNED_CHANGE = 0.85
LEARNED_CHANGE_OF_MORE = 0.7
# The old meaning of a call whose default changed.
OLD_DEFAULT = 0.5

# A rule that names the reported symbol, or one that only matches on the reported line.
SHARE_BY_SYMBOL = 0.99
SHARE_BY_LINE = 0.6
# A build in a copy: the errors vanished and none came. A wrong name of the right type compiles as well, about one in three.
ODDS_CLEARED = 3.0
ODDS_FAILED = 0.1

# A value for a field of an asset: the one it had in the old release, and the one that was removed.
FORMER_VALUE = 0.8
REMOVED_VALUE = 0.7
