"""Over the whole parser: every option of every command is read by what the command runs, so that none is taken and then
forgotten."""

import argparse
import ast
import inspect
import textwrap
from pathlib import Path

import pytest

from rondine_cli.main import parser

#: Read before any command runs, by the parser itself, or by all commands alike.
EVERYWHERE = {"help", "url", "project", "json", "run"}


def commands(found: argparse.ArgumentParser, words=()):
    """(its words, its parser) of every command that runs something."""
    nested = [action for action in found._actions if isinstance(action, argparse._SubParsersAction)]
    if not nested:
        yield " ".join(words), found
    for one in nested:
        for name, child in one.choices.items():
            yield from commands(child, (*words, name))


def names_read_by(function, seen=None) -> set[str]:
    """Attributes of `args` that a function reads, or that functions of its module read to which it hands `args` on; `*`
    for all."""
    seen = seen if seen is not None else set()
    if function in seen:
        return set()
    seen.add(function)
    tree = ast.parse(textwrap.dedent(inspect.getsource(function)))
    module = inspect.getmodule(function)
    found: set[str] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == "args":
            found.add(node.attr)
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            handed = [arg for arg in node.args if isinstance(arg, ast.Name) and arg.id == "args"]
            if handed and node.func.id in ("getattr", "vars"):
                found |= _named(node, tree)
            elif handed and inspect.isfunction(called := getattr(module, node.func.id, None)):
                found |= names_read_by(called, seen)
        if isinstance(node, ast.Subscript):  # a table of functions by an argument
            for value in getattr(module, getattr(node.value, "id", ""), {}).values() if isinstance(node.value,
            ast.Name) and isinstance(getattr(module, node.value.id, None), dict) else ():  # fmt: skip
                if inspect.isfunction(value):
                    found |= names_read_by(value, seen)
    return found


def _named(call: ast.Call, tree: ast.AST) -> set[str]:
    """What `getattr(args, name)` may read: the name, or every text in the loops around it."""
    wanted = call.args[1] if len(call.args) > 1 else None
    if isinstance(wanted, ast.Constant):
        return {str(wanted.value)}
    return {one.value for one in ast.walk(tree) if isinstance(one, ast.Constant) and isinstance(one.value, str)}


ALL = dict(commands(parser()))


@pytest.mark.parametrize("words", ALL)
def test_every_option_is_read(words):
    found = ALL[words]
    function = found.get_default("run")
    assert function is not None, f"rondine {words} runs nothing"
    options = {action.dest for action in found._actions if action.dest != argparse.SUPPRESS} - EVERYWHERE
    read = names_read_by(function)
    unread = options - read
    for group in found._mutually_exclusive_groups:
        either = {action.dest for action in group._group_actions}
        if group.required and len(either & unread) == 1 and either & read:
            unread -= either  # one of the two is given: not the other says it all
    assert not unread, f"rondine {words} takes {', '.join(sorted(unread))} and never looks at it"


def test_every_command_has_help_in_words():
    for words, found in ALL.items():
        assert found.format_help().strip(), words
    assert len(ALL) > 100 and Path(inspect.getfile(parser)).name == "main.py"
