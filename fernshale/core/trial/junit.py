"""Results of checks as JUnit XML, the form build servers read."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import UTC, datetime

from fernshale.core.base.texts import tr
from fernshale.core.trial.checks import CheckResult


def to_junit(title: str, results: Mapping[str, Sequence[CheckResult]]) -> str:
    """A `testsuites` document with a suite for each release of `results`, in order."""
    from lxml import etree

    root = etree.Element("testsuites", name=_clean(title))
    for release, listed in results.items():
        bad = sum(item.verdict in ("differs", "failed", "missing") for item in listed)
        idle = sum(item.verdict == "not tried" for item in listed)
        suite = etree.SubElement(
            root, "testsuite", name=_clean(release), tests=str(len(listed)), failures=str(bad), errors="0", skipped=str(idle),
            time=f"{sum(item.elapsed_s for item in listed):.3f}",
        )  # fmt: skip
        times = [item.time for item in listed if item.time]
        if times:
            suite.set("timestamp", datetime.fromtimestamp(min(times), UTC).strftime("%Y-%m-%dT%H:%M:%S"))
        for item in listed:
            case = etree.SubElement(suite, "testcase", name=_clean(item.name), classname=_clean(release))
            case.set("time", f"{item.elapsed_s:.3f}")
            if item.verdict == "not tried":
                etree.SubElement(case, "skipped", message=tr("not tried yet"))
            elif not item.is_good:
                failure = etree.SubElement(case, "failure", message=item.verdict, type=item.verdict)
                failure.text = _clean(item.detail)
            elif item.detail:
                etree.SubElement(case, "system-out").text = _clean(item.detail)
    return etree.tostring(root, pretty_print=True, xml_declaration=True, encoding="utf-8").decode()


def _clean(text: str) -> str:
    """Without the characters XML has no place for."""
    return "".join(
        letter if letter in "\t\n" or " " <= letter < "\ud800" or letter > "\udfff" else "�" for letter in text
    )
