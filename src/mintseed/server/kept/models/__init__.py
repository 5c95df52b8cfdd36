"""What is kept. Three kinds of rows, never mixed: what a person chose, what happened, what was judged.

Chosen: Site, WifiNetwork, BoardUnit, Supply, Cable, OwnedCard, Part, Description, Deployment, PlannedPart, Keeping. They change when a person changes them.
Happened: Image (a reading), Card, Write, WrittenBlocks, CardQuestion, CardErrand, FilledCopy, BootRun, Claim, Reading, Closing, LogEntry. Added, closed,
never overwritten.
Judged: Judgement and StationRecord, made when an input changed.
Where: Bench and ReportedDrive (what a bench's worker says it has), DriveLease (who may write to a drive), Job.
Said: Change, what the open screens are told of; gone after minutes. WrongPasswords, counted a peer; gone after minutes.
"""

from __future__ import annotations

from mintseed.server.kept.models.chosen import (
    MOST_NAME_BYTES,
    Bench,
    BoardUnit,
    Cable,
    Deployment,
    Description,
    Image,
    Keeping,
    OwnedCard,
    Part,
    PlannedPart,
    Site,
    Supply,
    WifiNetwork,
)
from mintseed.server.kept.models.happened import (
    BootRun,
    Card,
    CardQuestion,
    Claim,
    Closing,
    FilledCopy,
    LogEntry,
    Reading,
    Write,
    WrittenBlocks,
)
from mintseed.server.kept.models.judged import Judgement, StationRecord
from mintseed.server.kept.models.removable import Removable, There, once_while
from mintseed.server.kept.models.said import Change, WrongPasswords
from mintseed.server.kept.models.where import CardErrand, CardWork, DriveLease, Job, ReportedDrive

__all__ = [
    "MOST_NAME_BYTES",
    "Bench",
    "BoardUnit",
    "BootRun",
    "Cable",
    "Card",
    "CardErrand",
    "CardQuestion",
    "CardWork",
    "Change",
    "Claim",
    "Closing",
    "Deployment",
    "Description",
    "DriveLease",
    "FilledCopy",
    "Image",
    "Job",
    "Judgement",
    "Keeping",
    "LogEntry",
    "OwnedCard",
    "Part",
    "PlannedPart",
    "Reading",
    "Removable",
    "ReportedDrive",
    "Site",
    "StationRecord",
    "Supply",
    "There",
    "WifiNetwork",
    "Write",
    "WrittenBlocks",
    "WrongPasswords",
    "once_while",
]
