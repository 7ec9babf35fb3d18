"""The folder in which one installation keeps everything of its own, and the names inside it."""

import os
from dataclasses import dataclass
from pathlib import Path


@dataclass(frozen=True)
class Home:
    """``ZINCPLATE_HOME``, or ``var/library`` in the working folder."""

    root: Path

    @staticmethod
    def from_environment() -> "Home":
        """The home named by the environment."""
        return Home(Path(os.environ.get("ZINCPLATE_HOME", "var/library")).resolve())

    @property
    def originals(self) -> Path:
        """Copies of files brought in, one folder a shoot; read-only once written."""
        return self.root / "originals"

    @property
    def deliveries(self) -> Path:
        """Finished files."""
        return self.root / "deliveries"

    @property
    def recipes(self) -> Path:
        """The current recipe of every version as a JSON file: readable without the database."""
        return self.root / "recipes"

    @property
    def cache(self) -> Path:
        """Previews and thumbnails; may be deleted at any time."""
        return self.root / "cache"

    @property
    def lenses(self) -> Path:
        """Lens profiles in lensfun's XML form that are loaded beside its own."""
        return self.root / "lenses"

    @property
    def presets(self) -> Path:
        """Presets of adjustments as readable JSON, folders as the user made them."""
        return self.root / "presets"

    @property
    def labels(self) -> Path:
        """The user's labels and their colours."""
        return self.root / "labels.json"

    @property
    def searches(self) -> Path:
        """Searches that were kept under a name."""
        return self.root / "searches.json"

    @property
    def watched(self) -> Path:
        """Folders whose new files are brought in."""
        return self.root / "watched.json"

    @property
    def manifest(self) -> Path:
        """One JSON line for each original: path, SHA-256, size. Makes them verifiable without the database."""
        return self.root / "originals.jsonl"

    @property
    def card(self) -> Path:
        """The simulated memory card of the demo."""
        return self.root / "card"

    @property
    def written(self) -> tuple[Path, ...]:
        """Folders into which files are written."""
        return self.originals, self.deliveries, self.recipes, self.presets, self.cache

    def make(self) -> "Home":
        """Creates the folders; returns self. What is created is its owner's alone: pictures are nobody else's business. Started
        by root, the database's own user may pass through the root folder, to its own and nowhere else."""
        for folder in (self.root, self.originals, self.deliveries, self.recipes, self.cache, self.lenses, self.presets):
            if not folder.is_dir():
                folder.mkdir(parents=True, exist_ok=True)
                folder.chmod(0o711 if folder == self.root and os.geteuid() == 0 else 0o700)
        return self
