"""Which name the engine has in a project, and which release: by what its code imports, its files agree on, and its plugins accept.

A *subject* is a word that stands near releases in the project's files. Each piece of evidence is worth a few points, so that no
single one decides; the names of the project itself, of its plugins and of general build tools are no engines.
"""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.range_dialects import lowest_release
from fernshale.core.base.release import ReleaseNumber
from fernshale.core.base.release_notation import is_series_of, read_written
from fernshale.core.base.texts import count, tr
from fernshale.core.profile.authoring.project_facts import CODE, ProjectFacts, is_settings_code, kind_of
from fernshale.core.survey.mentions import Mention

_PIECE = lazy_pattern(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+\d*|[A-Z]+\d*")
ENGINE_WORDS = frozenset(("engine", "sdk", "runtime", "framework", "platform"))
# Words that say what kind of value it is, not whose.
GENERAL = frozenset(
    """version versions release releases id name title key range ranges min max minimum maximum required requires require
    needs need wants accepts accept depends dependency dependencies dev peer optional package packages packaged plugin
    plugins addon addons addin extension extensions mod mods module modules member members project projects game
    games app application build builds built builder compile compiled compiler config configuration settings setup
    implementation api apis test tests testing target targets source sources src include includes lib libs library
    libraries bin tool tools toolchain channel edition workspace root path paths file files url urls http https www com
    org net io example git github main core common utils util data format schema table list item items value values
    type types kind set string number int float double bool true false default defaults env environment job jobs step
    steps run runs with for from the and its this that made only works work tested open using use supports support
    linux windows window mac macos android ios web desktop mobile server client debug profile
    date time author authors licence license homepage description display generated return void const static public
    private define class struct import export function var let auto image images tag tags label labels size scale width
    height position rotation color colour speed level property group item propertygroup itemgroup reference
    packagereference lang rev revision commit hash branch resolved integrity engines scripts""".split()  # noqa: SIM905
)
# General build tools and languages, which have releases of their own.
_TOOLS = frozenset(
    """python java jdk jvm kotlin scala gradle maven mvn cmake make ninja meson gcc clang llvm msvc rust rustc cargo node
    nodejs npm yarn pnpm deno bun typescript tsc javascript eslint prettier pytest junit dotnet csharp msbuild nuget
    lua luajit go ruby php perl bash docker ubuntu debian alpine fedora checkout distribution wrapper resolver
    manifest lockfile ecmascript es cxx std openssl zlib visual studio xcode""".split()  # noqa: SIM905
)
_SHORTEST = 3
# One mention and its import reach no more than this.
_SURE = 6.0
# Minimum score of a candidate: one mention without other evidence has less.
_LIKELY = 2.0
_DOCUMENTS = ("md", "txt", "rst", "html", "htm")


@dataclass(frozen=True, slots=True)
class Subject:
    """A candidate for the engine: its word, the release that most files agree on, its score, and the evidence in words."""

    word: str
    spelling: str
    release: str
    score: float
    evidence: tuple[str, ...]

    @property
    def is_sure(self) -> bool:
        """Whether there is enough evidence to call it the engine without asking."""
        return self.score > _SURE


def words_of(name: str) -> tuple[str, ...]:
    """The words of an identifier in lower case: `kilnRange`, `KILN_RANGE` and `kiln-range` have the same."""
    return tuple(piece.lower() for piece in _PIECE.findall(name))


def subject_words(mention: Mention) -> tuple[str, ...]:
    """The words a mention may be about, the nearest first."""
    names = mention.names[:4]
    found = [word for name in names for word in (*_whole(name), *words_of(name))]
    return tuple(dict.fromkeys(word for word in found if len(word) >= _SHORTEST and word.isidentifier()))


def _whole(name: str) -> tuple[str, ...]:
    """A name as one word, unless all of its words are general, as those of `peerDependencies`."""
    return () if set(words_of(name)) <= GENERAL else (name.lower(),)


def is_about(mention: Mention, word: str) -> bool:
    return word in subject_words(mention)


def rank_subjects(facts: ProjectFacts, own: frozenset[str], plugin_files: frozenset[str]) -> tuple[Subject, ...]:
    """The candidates, the best first. `own` are words of the project's and its plugins' names, `plugin_files` descriptors."""
    by_word: dict[str, list[Mention]] = defaultdict(list)
    for mention in facts.mentions:
        for word in subject_words(mention):
            if word not in own and word not in GENERAL and word not in _TOOLS and word not in ENGINE_WORDS:
                by_word[word].append(mention)
    found = [_weigh(word, mentions, facts, plugin_files) for word, mentions in by_word.items()]
    likely = (item for item in found if item is not None and item.score >= _LIKELY)
    ranked = sorted(likely, key=lambda item: (-item.score, item.word))
    return tuple(ranked)


def _weigh(word: str, mentions: Sequence[Mention], facts: ProjectFacts, plugin_files: frozenset[str]) -> Subject | None:
    plain = [item for item in mentions if _is_plausible(item, word)]
    # Prose and addresses name much; a subject has at least one value of its own in a settings file.
    if not any(_is_anchor(item, word, facts) for item in plain):
        return None
    release, files = agreed_release(plain)
    if not release:
        return None
    score, evidence = 0.0, []
    agreeing = len(files)
    score += min(agreeing, 5)
    if agreeing > 1:
        evidence.append(tr("{agreeing} files agree on {release}", agreeing=agreeing, release=release))
    others = {item.file for item in plain} - files
    score -= 0.5 * len(others)
    if importing := facts.code.get(word, 0):
        score += 3 + 2 * importing / max(facts.code_files, 1)
        evidence.append(
            tr(
                "imported by {files}",
                files=count(importing, "source file"),
            )
        )
    accepted = {item.file for item in mentions if item.file in plugin_files}
    if accepted:
        score += 2 + min(len(accepted), 3)
        evidence.append(tr("named by the descriptors of {number} plugins", number=len(accepted)))
    if any(ENGINE_WORDS & {part for name in item.names[:4] for part in words_of(name)} for item in plain):
        score += 2
        evidence.append(tr("called an engine"))
    if word in facts.file_words:
        score += 1
        evidence.append(tr("files are named after it"))
    return Subject(word, _spelling(word, mentions, word in facts.code), release, score, tuple(evidence))


def _is_anchor(mention: Mention, word: str, facts: ProjectFacts) -> bool:
    """Whether a mention is a value of the subject itself: its key, or the name right before the number, has the word.

    An address counts where the code imports what it names.
    """
    if kind_of(mention.file) in (*CODE, *_DOCUMENTS):
        return (
            not mention.file.count("/")
            and mention.kind == "part"
            and _is_nearest(mention, word)
            and is_named_so(mention.file)
        )
    is_address = "://" in mention.whole.text if mention.whole is not None else "https" in mention.names
    if is_address and mention.kind == "part":
        return facts.code.get(word, 0) > 0
    return mention.kind != "part" or _is_nearest(mention, word)


def _is_nearest(mention: Mention, word: str) -> bool:
    return bool(mention.names) and (word in words_of(mention.names[0]) or word == mention.names[0].lower())


def is_named_so(path: str) -> bool:
    """Whether a file's own name says that it holds a version or release."""
    return bool({"version", "release"} & set(words_of(path.rsplit("/", 1)[-1])))


def _is_plausible(mention: Mention, word: str) -> bool:
    """Whether a number may be a release of the subject: in source code, only where its own name says so."""
    if is_settings_code(mention.file) and _is_nearest(mention, "version"):
        return True
    return kind_of(mention.file) not in ("py", "js", "cs", "java", "rs", "cpp", "c", "h", "hpp", "cc", "lua") or any(
        word in words_of(name) and {"version", "release"} & set(words_of(name)) for name in mention.names[:1]
    )


def agreed_release(mentions: Sequence[Mention]) -> tuple[str, frozenset[str]]:
    """The release that most files name, and those files. A release of fewer numbers agrees with one that it begins.

    Ties go to the release with more numbers, then to the newer one.
    """
    numbers: dict[ReleaseNumber, set[str]] = defaultdict(set)
    spellings: dict[ReleaseNumber, Counter[str]] = defaultdict(Counter)
    ranges = [mention for mention in mentions if mention.kind == "range"]
    for mention in mentions if len(ranges) < len(mentions) else ():
        release = read_written(mention.text) if mention.kind != "range" else None
        if release is not None:
            numbers[release].add(mention.file)
            spellings[release][release.text] += 1
    if not numbers:
        # Only ranges: the lowest release that one holds is the one that its writer had.
        for mention in ranges:
            lowest = lowest_release(mention.text)
            if lowest is not None:
                numbers[lowest].add(mention.file)
                spellings[lowest][lowest.text] += 1
    if not numbers:
        return "", frozenset()

    def supporters(release: ReleaseNumber) -> frozenset[str]:
        return frozenset(
            file
            for other, files in numbers.items()
            if other == release or is_series_of(other, release)
            for file in files
        )

    best = max(
        numbers, key=lambda release: (len(supporters(release)), len(numbers[release]), len(release.parts), release)
    )
    spelling = max(spellings[best].items(), key=lambda pair: (pair[1], len(pair[0])))[0]
    return spelling, supporters(best)


def _spelling(word: str, mentions: Sequence[Mention], is_imported: bool) -> str:
    """How the project writes the name: as a whole name if it does, else its most frequent part."""
    counts: Counter[str] = Counter()
    for mention in mentions:
        for name in mention.names[:4]:
            if name.lower() == word:
                counts[name] += 3
            for part in _PIECE.findall(name):
                if part.lower() == word:
                    counts[part] += 1
    # A name in capitals is that of a variable; imports are in small letters more often.
    usual: Mapping[str, int] = {name: n for name, n in counts.items() if not name.isupper()}
    if not usual and not is_imported:
        usual = counts
    return max(usual.items(), key=lambda pair: (pair[1], pair[0]))[0] if usual else word


def own_words(facts: ProjectFacts) -> Iterator[str]:
    """Words of the project's own name: its folder's, and what the files at its root call it."""
    yield from (facts.root.name.lower(), *words_of(facts.root.name))
    for path, text in facts.texts.items():
        if path.count("/") > 1 or kind_of(path) in ("md", "txt"):
            continue
        for item in facts.values.get(path, ()):
            is_name = item.names[:1] == ("name",) and len(item.names) <= 2 + (item.names[1:2] == ("game",))
            if is_name and (
                len(item.names) == 1 or item.names[1].lower() in ("package", "project", "game", "application", "app")
            ):
                yield from (item.value.text.lower(), *words_of(item.value.text))
        if path.lower().endswith("cmakelists.txt"):
            yield from (word.lower() for word in re.findall(r"(?m)^\s*project\s*\(\s*(\w+)", text))
