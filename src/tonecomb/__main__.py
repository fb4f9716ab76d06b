"""``python -m tonecomb`` and the ``tone-comb`` command."""

from __future__ import annotations


def main() -> None:
    from tonecomb.cli.main import entry

    entry()


if __name__ == "__main__":
    main()
