"""The words of a letter, plain and as HTML: what waits, each with the one place where it is ended, and what changed."""

from dataclasses import dataclass, field

from jinja2 import Environment

from brookfall.core.foundation.wording import capital


@dataclass(frozen=True)
class Line:
    """Something that a letter tells of, and its address where one is known."""

    words: str
    address: str | None = None


@dataclass(frozen=True)
class Words:
    """A letter before it is addressed: its subject, how it begins, and its lines under their headings."""

    subject: str
    opening: str
    parts: tuple[tuple[str, tuple[Line, ...]], ...] = field(default_factory=tuple)
    closing: str = ""

    @property
    def text(self) -> str:
        """As plain text."""
        blocks = [self.opening]
        for heading, lines in self.parts:
            told = [f"- {capital(one.words)}" + (f"\n  {one.address}" if one.address else "") for one in lines]
            blocks.append("\n".join([heading, *told]))
        return "\n\n".join([*blocks, *([self.closing] if self.closing else [])]) + "\n"

    @property
    def html(self) -> str:
        """As a page of HTML that asks for nothing elsewhere; whatever people wrote is escaped."""
        return _PAGE.render(words=self, capital=capital)


_PAGE = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(
    """<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>{{ words.subject }}</title></head>
<body style="font: 15px/1.5 sans-serif; color: #1c2b2b; max-width: 42em">
<p>{{ words.opening }}</p>
{% for heading, lines in words.parts %}
<p style="margin-bottom: 0"><b>{{ heading }}</b></p>
<ul style="margin-top: 0">
{% for line in lines %}
<li>{% if line.address %}<a href="{{ line.address }}">{{ capital(line.words) }}</a>{% else %}{{ capital(line.words) }}\
{% endif %}</li>
{% endfor %}
</ul>
{% endfor %}
{% if words.closing %}
<p style="color: #5a6a6a">{{ words.closing }}</p>
{% endif %}
</body></html>
"""
)
