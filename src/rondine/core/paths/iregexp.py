"""I-Regexp (RFC 9485), the regular expressions of JSONPath, run by RE2: in time linear in the text, whatever the
expression.

An expression is checked against the grammar of RFC 9485 and written anew for RE2, where `.` leaves out both kinds of
line ends. `^` and `$` stay the anchors that most people mean by them, as the compliance suite of JSONPath has it.
"""

import re
from functools import lru_cache

import re2

#: RFC 9485, section 4: what may follow a backslash.
_ESCAPES = frozenset("()*+-.?[]\\^nrt{|}$")
_CATEGORY = re.compile(r"\\[pP]\{(?:L[lmotu]?|M[cen]?|N[dlo]?|P[cdefios]?|Z[lps]?|S[ckmo]?|C[cfno]?)\}")
_QUANTIFIER = re.compile(r"[*+?]|\{\d{1,4}(?:,\d{0,4})?\}")


class NotIRegexp(ValueError):
    """A text that is not an I-Regexp."""


@lru_cache(maxsize=500)
def compiled(text: str) -> "re2._Regexp":
    """Raises NotIRegexp."""
    options = re2.Options()
    options.log_errors = False
    try:
        return re2.compile(_Translator(text).whole(), options)
    except (re2.error, UnicodeError) as error:
        raise NotIRegexp(str(error)) from error


def matches(pattern: str, text: str, *, whole: bool) -> bool:
    """Whether the pattern is found in the text, or is all of it. What is not a pattern matches nothing (RFC 9535,
    section 2.4.6)."""
    try:
        found = compiled(pattern)
        return bool(found.fullmatch(text) if whole else found.search(text))
    except (NotIRegexp, UnicodeError):
        return False


class _Translator:
    def __init__(self, text: str) -> None:
        self.text, self.at = text, 0

    def peek(self) -> str:
        return self.text[self.at : self.at + 1]

    def whole(self) -> str:
        out = self.alternatives()
        if self.at < len(self.text):
            raise NotIRegexp(f'"{self.peek()}" is not expected')
        return out

    def alternatives(self) -> str:
        out = self.branch()
        while self.peek() == "|":
            self.at += 1
            out += "|" + self.branch()
        return out

    def branch(self) -> str:
        out = ""
        while self.peek() not in ("", "|", ")"):
            out += self.atom()
            if found := _QUANTIFIER.match(self.text, self.at):
                self.at = found.end()
                out += found.group()
        return out

    def atom(self) -> str:
        char = self.peek()
        if char == "(":
            self.at += 1
            inner = self.alternatives()
            if self.peek() != ")":
                raise NotIRegexp("a bracket is not closed")
            self.at += 1
            return f"(?:{inner})"
        if char == "[":
            return self.character_class()
        if char == "\\":
            return self.escape()
        if char in "*+?{}]":
            raise NotIRegexp(f'"{char}" is not expected')
        self.at += 1
        if char == ".":
            return r"[^\n\r]"
        return char

    def escape(self) -> str:
        if found := _CATEGORY.match(self.text, self.at):
            self.at = found.end()
            return found.group()
        following = self.text[self.at + 1 : self.at + 2]
        if not following or following not in _ESCAPES:
            raise NotIRegexp(f'"\\{following}" is not an escape')
        self.at += 2
        return "\\" + following

    def character_class(self) -> str:
        self.at += 1
        out = "["
        if self.peek() == "^":
            out, self.at = "[^", self.at + 1
        if self.peek() == "]":
            raise NotIRegexp("a class is empty")
        is_first = True
        while (char := self.peek()) != "]":
            if char == "":
                raise NotIRegexp("a class is not closed")
            if char == "\\":
                out += self.escape()
            elif char == "[":
                raise NotIRegexp('"[" is not expected in a class')
            else:
                is_bare = char == "-" and (is_first or self.text[self.at + 1 : self.at + 2] == "]")
                out += "\\-" if is_bare else "\\^" if char == "^" else char
                self.at += 1
            is_first = False
        self.at += 1
        return out + "]"
