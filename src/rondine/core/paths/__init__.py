"""Compiled selectors: JSON Pointer (RFC 6901), JSONPath (RFC 9535) and, for XML, XPath 1.0."""

from rondine.core.paths.jsonpath import JsonPath, parse_jsonpath, parse_normalized
from rondine.core.paths.place import Location, Node, normalized_path, parse_pointer, pointer_text, resolve
from rondine.core.paths.short import parse_short, short_form
from rondine.core.paths.xpath import XPath, xpath_of
from rondine.core.paths.xpath_whole import WholeXPath, parse_xpath

__all__ = [
    "JsonPath",
    "Location",
    "Node",
    "WholeXPath",
    "XPath",
    "normalized_path",
    "parse_jsonpath",
    "parse_normalized",
    "parse_pointer",
    "parse_short",
    "parse_xpath",
    "pointer_text",
    "resolve",
    "short_form",
    "xpath_of",
]
