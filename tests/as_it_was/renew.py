"""``python -m tests.as_it_was.renew GROUP ...`` writes the records of these groups anew, and tells which changed."""

import sys

from tests.as_it_was.groups import GROUPS, TOLERANCES
from tests.as_it_was.record import FOLDER, difference, keep, kept, recorded


def main(groups: list[str]) -> None:
    """Prints every record that is new or other than it was."""
    for group in groups:
        before = kept(group) if (FOLDER / f"{group}.npz").exists() else {}
        now = {name: recorded(name, case()) for name, case in GROUPS[group]().items()}
        for name, record in now.items():
            why = difference(before[name], record, TOLERANCES[group]) if name in before else "new"
            if why:
                print(f"{group}, {name}: {why}")
        keep(group, now)


if __name__ == "__main__":
    main(sys.argv[1:] or list(GROUPS))
