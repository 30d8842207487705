"""How the actions of Links are carried out."""

from __future__ import annotations

from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.stages.links.actions import MeetConstraint, ReadAssets, Relink, RelinkFile, RewriteData
from fernshale.core.crossing.stages.links.asset_reading import read_assets
from fernshale.core.crossing.stages.links.data_rules import apply_data, meet_constraint
from fernshale.core.crossing.stages.links.relinking import apply_relink

HANDLERS: Handlers = {
    ReadAssets: read_assets,
    Relink: apply_relink,
    RelinkFile: apply_relink,
    RewriteData: apply_data,
    MeetConstraint: meet_constraint,
}
