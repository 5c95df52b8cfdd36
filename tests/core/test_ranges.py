"""Which ranges are one's own: RFC 1918 §3, RFC 4193 §3.1, RFC 6598 §7, and what lies beside them."""

from __future__ import annotations

import pytest

from mintseed.core.errors import InputError
from mintseed.core.find.candidates import page_url
from mintseed.core.find.sightings import addresses_in
from mintseed.core.recipes.model import Page
from mintseed.core.site.ranges import check_range, own_ranges


@pytest.mark.parametrize(
    "text",
    ["10.0.0.0/8", "10.255.255.0/24", "172.16.0.0/12", "172.31.255.255/32", "192.168.0.0/16", "fd12:3456:789a::/48"],
)
def test_own_ranges_are_taken(text: str) -> None:
    assert check_range(f" {text} ") == text


@pytest.mark.parametrize(
    "text",
    [
        "8.8.8.0/24", "172.32.0.0/16", "172.15.255.0/24", "192.167.0.0/16", "10.0.0.0/7", "0.0.0.0/0", "127.0.0.0/8",
        "127.77.4.0/24", "169.254.0.0/16", "192.0.2.0/24", "198.18.0.0/15", "203.0.113.0/24", "240.0.0.0/4", "224.0.0.0/4",
        "100.64.0.0/10", "100.100.0.0/16", "2001:db8::/32", "fe80::/10", "::1/128", "::/0", "::ffff:192.168.1.0/120", "",
        "192.168.1.7/24", "nonsense", "192.168.1.0/33",
    ],
)  # fmt: skip
def test_other_peoples_ranges_are_refused(text: str) -> None:
    with pytest.raises(InputError):
        check_range(text)


def test_a_shared_range_where_the_owner_says_so_and_the_standins_on_its_bench() -> None:
    assert check_range("100.64.0.0/10", shared=True) == "100.64.0.0/10"
    with pytest.raises(InputError):
        check_range("100.128.0.0/10", shared=True)
    assert check_range("127.77.4.0/24", standin="127.77.4.0/24") == "127.77.4.0/24"
    with pytest.raises(InputError):
        check_range("127.0.0.0/8", standin="127.77.4.0/24")


def test_what_is_stored_and_is_none_is_passed_over() -> None:
    assert own_ranges(["junk", "8.8.8.0/24", "192.168.1.0/24", "192.168.1.0/24"]) == ("192.168.1.0/24",)
    listed = ["100.64.1.0/24", "127.77.4.0/24", "fd00::/64"]
    assert own_ranges(listed) == ("fd00::/64",)
    assert own_ranges(listed, shared=True) == ("100.64.1.0/24", "fd00::/64")
    assert own_ranges(listed, standin="127.77.4.0/24") == ("127.77.4.0/24", "fd00::/64")


def test_no_range_of_ipv6_is_walked_and_its_addresses_have_brackets_in_a_link() -> None:
    assert addresses_in(["fd00::/64", "192.168.1.0/30"]) == ("192.168.1.1", "192.168.1.2")
    page = Page(scheme="http", port=80, path="/", signature="Print desk")
    assert page_url(page, "fd00::7") == "http://[fd00::7]/"
