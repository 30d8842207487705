"""The Build page: rounds, causes, and the code with the proposed fix."""

from fernshale.app.pages.build.page import BUILDING, BuildPage

__all__ = ["BUILDING", "BuildPage"]
