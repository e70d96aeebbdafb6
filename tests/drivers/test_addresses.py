"""Whatever is written as an address: a receiver, or one sentence."""

import pytest

from yarddial import wiring
from yarddial.yard.errors import YardDialError

LONG = "a" * 70


@pytest.mark.parametrize(
    "address",
    [
        f"stream:tcp://{LONG}.com:7000?format=cu8&rate=1M", "stream:tcp://127.0.0.1:٣?format=cu8&rate=1M",
        "stream:pipe:/tmp/\0?format=cu8&rate=1M", "stream:tcp://[::1]?format=cu8&rate=1M", "recording:/tmp/\0.wav",
        "recording:/dev/zero?format=cu8&rate=1M", "recording:\udcff.wav", "simulated:finch?seed=x",
        "simulated:finch?fault=unplug:abc", "simulated:finch?lo=x", "simulated:\n", "", ":",
    ],
)  # fmt: skip
def test_an_address_that_is_none_is_refused_in_one_sentence(address: str) -> None:
    with pytest.raises(YardDialError) as refused:
        wiring.open_device_flat_out(address)
    assert "\n" not in str(refused.value)
    assert len(str(refused.value)) <= 300
