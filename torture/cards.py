"""Cards that say they are larger than they are, and cards whose bytes were changed behind our back."""

from __future__ import annotations

import random
import secrets
import tempfile
import time
from pathlib import Path

from mintseed.core.card.samples import SAMPLES_BEFORE_POWER, BlockHasher, first_that_differs
from mintseed.core.errors import DriveError
from mintseed.services import write_card
from mintseed.standins.bench_folder import BenchFolder
from mintseed.standins.readers import StandinReaders
from torture.outcome import Outcome

MB = 1_000_000


def _readers(folder: Path, size_bytes: int, **faults: int) -> StandinReaders:
    bench = BenchFolder(folder)
    bench.prepare()
    entry = {
        "name": "pdb",
        "path": "/dev/pdb",
        "size": size_bytes,
        "rm": True,
        "tran": "usb",
        "serial": "S1",
        "type": "disk",
        "faults": faults,
    }
    bench.write(bench.drives_file, [entry])
    return StandinReaders(bench)


def _written(readers: StandinReaders, image: bytes) -> None:
    """Write as services.write_card does, without a partition table: marks, image, read back, marks. Raises DriveError."""
    drive = readers.drives()[0]
    with readers.open(drive) as target:
        proof = write_card._mark_room(target, len(image), drive.size_bytes, whole=False, tell=lambda progress: None)
        target.write(image)
        target.flush()
        if b"".join(target.read_back(len(image))) != image:
            raise DriveError("the card gave back other bytes than were written")
        write_card._prove_room(target, proof, len(image), drive.size_bytes, drive, lambda progress: None)


def false_capacities(times: int, seed: int) -> Outcome:
    """Write to `times` cards that end, anywhere beyond the image, before they say; and to as many that do not."""
    outcome, dice, began = Outcome("cards that hold less than they say"), random.Random(seed), time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        for number in range(times):
            image = secrets.token_bytes(dice.randrange(8 * MB, 24 * MB))
            said = dice.randrange(len(image) + MB, 512 * MB)
            really = dice.randrange(len(image), said - 4096)
            fault = dice.choice(("wraps_at_bytes", "drops_beyond_bytes"))
            place = Path(folder) / str(number)
            outcome.tried += 1
            try:
                _written(_readers(place, said, **{fault: really}), image)
                outcome.harm.append(f"{number}: {fault} {really} of {said}, image {len(image)}: proven")
            except DriveError:
                outcome.note("found out")
            honest = Path(folder) / f"{number}-honest"
            try:
                _written(_readers(honest, said), image)
                outcome.note("honest and proven")
            except DriveError as error:
                outcome.harm.append(f"{number}: an honest card is blamed: {error.found}")
            for card in (*place.glob("cards/*"), *honest.glob("cards/*")):
                card.unlink()
    outcome.took_s = time.monotonic() - began
    return outcome


class _Bytes:
    def __init__(self, data: bytearray) -> None:
        self._data = data

    @property
    def size_bytes(self) -> int:
        return len(self._data)

    def read_at(self, offset_bytes: int, length_bytes: int) -> bytes:
        return bytes(self._data[offset_bytes : offset_bytes + length_bytes])


def changed_cards(times: int, seed: int) -> Outcome:
    """Change a twentieth of a card anywhere beyond its first MiB, and look at samples chosen anew."""
    outcome, dice, began = (
        Outcome("a twentieth of a card changed behind our back"),
        random.Random(seed),
        time.monotonic(),
    )
    whole = secrets.token_bytes(192 * MB)
    hasher = BlockHasher(len(whole))
    hasher.update(whole)
    blocks = hasher.blocks()
    for number in range(times):
        held = bytearray(whole)
        length = len(held) // 20
        begins = dice.randrange(1 << 20, len(held) - length)
        held[begins : begins + length] = bytes(length)
        outcome.tried += 1
        if first_that_differs(_Bytes(held), blocks, SAMPLES_BEFORE_POWER, dice) is None:
            outcome.harm.append(f"{number}: nothing seen of {length} bytes at {begins}")
        else:
            outcome.note("seen")
    if first_that_differs(_Bytes(bytearray(whole)), blocks, blocks.count, dice) is not None:
        outcome.harm.append("a card that holds what was written is blamed")
    outcome.took_s = time.monotonic() - began
    return outcome
