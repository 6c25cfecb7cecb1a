"""What takes long is made once for the last few keys, also by several threads."""

import time
from concurrent.futures import ThreadPoolExecutor

from brookfall.records.recent import last_few


def test_the_same_key_is_made_once_and_the_oldest_goes() -> None:
    made: list[str] = []

    @last_few(2)
    def slow(key: str, suffix: str, *, loud: bool = False) -> str:
        made.append(key)
        return f"{key}{suffix}{'!' if loud else ''}"

    assert slow("a", "1", loud=True) == "a1!"
    # The key alone tells results apart: it names all that they depend on.
    assert slow("a", "2") == "a1!"
    assert slow("b", "1") == "b1"
    assert slow("a", "3") == "a1!"
    assert slow("c", "1") == "c1"
    assert made == ["a", "b", "c"]
    slow("b", "2")
    assert made == ["a", "b", "c", "b"]


def test_two_functions_share_nothing() -> None:
    one, other = (last_few(2)(lambda key, value: value) for _ in range(2))
    assert (one("k", 1), other("k", 2)) == (1, 2)


def test_an_error_is_not_kept() -> None:
    tries: list[int] = []

    @last_few(2)
    def flaky(key: str) -> str:
        tries.append(1)
        if len(tries) == 1:
            raise ValueError(key)
        return key

    try:
        flaky("a")
    except ValueError:
        assert flaky("a") == "a"
    assert len(tries) == 2


def test_threads_get_the_same() -> None:
    @last_few(4)
    def slow(key: str) -> object:
        return object()

    kept = slow("k")
    with ThreadPoolExecutor(8) as pool:
        assert all(found is kept for found in pool.map(lambda _: slow("k"), range(64)))


def test_who_asks_for_what_another_is_at_waits_for_it() -> None:
    made: list[str] = []

    @last_few(4)
    def slow(key: str) -> str:
        made.append(key)
        time.sleep(0.2)
        return key

    with ThreadPoolExecutor(8) as pool:
        assert list(pool.map(slow, ["k"] * 8)) == ["k"] * 8
    assert made == ["k"]
