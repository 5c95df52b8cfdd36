"""The made-up images that come with a bench that plays its boards: built when there is time, or when somebody asks for them."""

from __future__ import annotations

from mintseed.core.visible import one_line
from mintseed.standins.forge.build import build_demo, is_built
from mintseed.standins.forge.more_sources import MORE_IMAGES
from mintseed.standins.forge.own_sources import OWN_IMAGES
from mintseed.standins.machine.assay import build as assay
from mintseed.wiring import Config

ALL = (*MORE_IMAGES, *OWN_IMAGES)


def made_of(config: Config) -> str:
    """Return what they are images of, as the end of a sentence."""
    if config.bench == "machine":
        return "Assay, a Debian for the machines to start (some minutes the first time)"
    return "the other appliances"


def missing(config: Config) -> list[str]:
    """Return the files that are not in the library as they are described now; nothing on a real bench."""
    if config.bench == "machine":
        return [assay.file_name(build) for build in assay.missing(config.library)]
    return [spec.file for spec in ALL if not is_built(spec, config.library)] if config.is_standin else []


def build(name: str, config: Config) -> None:
    """Build one. Of made-up ones, the checksums of its release are published as far as it is there. Raises OSError, RuntimeError or MintSeedError."""
    if config.bench == "machine":
        wanted_build = next(one for one in assay.BUILDS if assay.file_name(one) == name)
        assay.build_image(
            wanted_build, config.library, config.home / "machines", lambda text: print(one_line(text), flush=True)
        )
        return
    release = next(spec.checksums for spec in ALL if spec.file == name)
    wanted = [s for s in ALL if s.checksums == release and (s.file == name or is_built(s, config.library))]
    build_demo(wanted, config.library)


def waits(appliance: str, config: Config) -> bool:
    """Return whether an image of `appliance` is one of these, and not built yet."""
    if config.bench == "machine":
        return appliance in {f"assay-{build}" for build in assay.missing(config.library)}
    return any(spec.appliance == appliance for spec in MORE_IMAGES) and any(
        n.startswith(f"{appliance}-") for n in missing(config)
    )
