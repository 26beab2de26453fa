"""The page: valid whatever an item is called, its JSON as its schema has it."""

import json
from pathlib import Path
from zoneinfo import ZoneInfo

import html5lib
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.outputs.now_playing import Shown, in_one_line
from nightly_spindle.core.outputs.web_page import (
    HeardAt,
    OnToday,
    PageContent,
    content_policy,
    now_json,
    now_text,
    page_html,
)

SCHEMA = json.loads((Path(__file__).parents[3] / "docs" / "now.schema.json").read_text())
NIGHT = 1_792_890_000_000_000
HOSTILE = st.one_of(
    st.sampled_from(
        [
            "<script>alert(1)</script>",
            '"><img src=x onerror=alert(1)>',
            "</title></style></script><svg onload=alert(1)>",
            "&amp;&#x3c;b&#x3e;",
            "'; alert(1); '",
            "{station} {now} %s {0}",
            "ﬁ – ☃ \u202e",
        ]
    ),
    st.text(max_size=60),
).map(in_one_line)


@st.composite
def pages(draw):
    def shown():
        return Shown(
            NIGHT + draw(st.integers(0, 10**10)),
            draw(HOSTILE),
            draw(HOSTILE),
            draw(HOSTILE),
            draw(st.integers(0, 9)),
            draw(st.sampled_from(list(Kind))),
        )

    return PageContent(
        draw(HOSTILE),
        ZoneInfo(draw(st.sampled_from(["Europe/Lisbon", "UTC", "Asia/Kathmandu"]))),
        NIGHT,
        shown() if draw(st.booleans()) else None,
        [shown() for _ in range(draw(st.integers(0, 3)))],
        draw(st.lists(HOSTILE, max_size=3)),
        [
            OnToday(draw(HOSTILE), NIGHT, draw(st.sampled_from([0, NIGHT + 60_000_000])))
            for _ in range(draw(st.integers(0, 2)))
        ],
        [HeardAt(draw(HOSTILE), "http://a.example:1/x?a=1&b=2", "audio/mpeg")],
    )


@examples(150)
@given(pages())
def test_whatever_things_are_called_the_page_is_valid_and_they_are_text(page):
    html = page_html(page)
    # html5lib: the parsing of the WHATWG standard; strict raises at the first error
    tree = html5lib.HTMLParser(strict=True, namespaceHTMLElements=False).parse(html)
    found = [one.tag for one in tree.iter() if isinstance(one.tag, str)]
    assert found.count("script") == 1
    assert found.count("style") == 1
    assert not {"img", "svg", "iframe", "b", "object"} & set(found)
    assert not [name for one in tree.iter() for name in one.attrib if name.startswith("on")]
    words = " ".join("".join(tree.itertext()).split())
    for said in [page.station, *page.coming, *(one.text for one in page.recent)]:
        assert " ".join(said.split()) in words


@examples(150)
@given(pages())
def test_its_json_is_as_its_schema_has_it(page):
    value = json.loads(now_json(page))
    Draft202012Validator(SCHEMA).validate(value)
    assert value["station"] == page.station
    assert (value["now"] or {}).get("text") == (page.now.text if page.now else None)
    assert [one["text"] for one in value["recent"]] == [one.text for one in page.recent]
    text = now_text(page)
    assert text == (page.now.text if page.now else page.station) + "\n"
    assert text.count("\n") == 1


def test_the_page_asks_nobody_for_anything():
    page = PageContent("Pier", ZoneInfo("UTC"), NIGHT)
    html = page_html(page)
    assert "src=" not in html
    assert "http://" not in html.replace("http: https:", "")
    assert "@import" not in html
    assert "url(" not in html
    assert "default-src 'none'" in content_policy()
    assert "Nothing is on air." in html


def test_parts_without_anything_to_say_are_hidden():
    bare = page_html(PageContent("Pier", ZoneInfo("UTC"), NIGHT))
    assert bare.count(" hidden>") == 3
    full = PageContent("Pier", ZoneInfo("UTC"), NIGHT, coming=["x"], today=[OnToday("y", NIGHT)])
    assert page_html(full).count(" hidden>") == 1
