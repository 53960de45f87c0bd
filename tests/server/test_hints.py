"""Commands that errors name are there."""

import pytest

from rondine.server.connecting import kinds as service_kinds
from rondine.server.items.kinds import ItemKind
from rondine.server.records import kinds as record_kinds
from rondine_cli.main import parser

KINDS = [var for module in (service_kinds, record_kinds) for var in vars(module).values() if isinstance(var, ItemKind)]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.name)
def test_the_command_that_makes_an_item_is_one(kind, capsys):
    with pytest.raises(SystemExit) as ended:
        parser().parse_args([*kind.command.split()[1:], "--help"])
    assert ended.value.code == 0, capsys.readouterr().err
    assert kind.command in capsys.readouterr().out
