"""The filter's index of words finds what reading every text finds, in any order of typing."""

from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.logs.log_matching import search_words
from nightly_spindle.store.library.word_index import WordIndex

letters = st.text(st.sampled_from("abcé7ßЖ音 -'"), max_size=14)


@given(st.lists(letters, max_size=30), st.lists(letters, min_size=1, max_size=12))
def test_what_begins_with_a_word_is_found_as_by_reading_all(names, typed):
    texts = [search_words(name, "x") for name in names]
    index = WordIndex(texts)
    for line in typed:
        for word in search_words(line).split():
            for end in (*range(1, len(word) + 1), 1):  # letter by letter, and taken back
                begun = word[:end]
                told = index.beginning_with(begun).tolist()
                assert told == [f" {begun}" in text for text in texts], begun


def test_no_texts_and_words_of_any_length():
    assert WordIndex([]).beginning_with("a").tolist() == []
    index = WordIndex([" " + "a" * 300, " a", ""])
    assert index.beginning_with("a" * 300).tolist() == [True, False, False]
    assert index.beginning_with("b").tolist() == [False, False, False]
