"""Which jobs of the logbook are asked for."""

from dataclasses import dataclass

DATED = "CASE WHEN delivered_at <> '' THEN delivered_at ELSE began END"
"""What jobs are listed by."""


@dataclass(frozen=True)
class Which:
    """Jobs that are asked for: words found in title or client, kind, route, month (2026-11), at most the latest."""

    words: str = ""
    kind: str = ""
    route: str = ""
    month: str = ""
    latest: int | None = None
    job_id: str = ""

    @property
    def is_all(self) -> bool:
        """True where nothing is left out."""
        return self == Which()

    def condition(self) -> tuple[str, tuple]:
        """(of a statement on `jobs`, its values)."""
        parts: list[str] = ["1"]
        values: list[str] = []
        for part, value in (("has_words(title, client, ?)", self.words.casefold()), ("kind = ?", self.kind),
                            ("route = ?", self.route), (f"substr({DATED}, 1, 10) GLOB ?", self.month),
                            ("id = ?", self.job_id)):
            if value:
                parts.append(part)
                values.append(f"{value}*" if "GLOB" in part else value)
        return " AND ".join(parts), tuple(values)


def has_words(title: str, client: str, words: str) -> bool:
    """For the database: every word is found in title or client; words in small letters."""
    text = f"{title} {client}".casefold()
    return all(word in text for word in words.split())
