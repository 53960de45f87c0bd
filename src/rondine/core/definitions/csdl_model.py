"""What OData metadata says, of whatever version and form: types, sets, functions and actions, as they were read."""

from dataclasses import dataclass, field

from rondine.core.errors import Problem


@dataclass(slots=True)
class Property:
    """facets: MaxLength, Precision, Scale and DefaultValue as they are written (OData CSDL 4.01, section 7.2)."""

    name: str
    type: str
    is_collection: bool = False
    is_nullable: bool = True
    is_computed: bool = False
    facets: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class Type:
    """kind: entity, complex, enum or definition (of another name for a plain type). key_paths: of the keys that have an
    alias, as they lead through complex properties.  is_flags: a value is several members, separated by commas.  facets:
    of a definition.
    """

    name: str
    kind: str
    line: int
    base: str = ""
    properties: dict[str, Property] = field(default_factory=dict)
    navigation: dict[str, Property] = field(default_factory=dict)
    keys: list[str] = field(default_factory=list)
    key_paths: dict[str, str] = field(default_factory=dict)
    members: list[str] = field(default_factory=list)
    is_flags: bool = False
    under: str = ""
    facets: dict[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class FunctionOrAction:
    """An action or function. returns: empty for nothing."""

    name: str
    is_action: bool
    is_bound: bool
    line: int
    parameters: list[Property] = field(default_factory=list)
    returns: str = ""
    returns_many: bool = False
    method: str = ""


@dataclass(slots=True)
class EntitySet:
    """An entity set or singleton. allows: create, change, remove and list, by the capability annotations."""

    name: str
    type: str
    line: int
    is_single: bool = False
    denied: set[str] = field(default_factory=set)


@dataclass(slots=True)
class Model:
    version: str
    namespace: str = ""
    types: dict[str, Type] = field(default_factory=dict)
    callables: list[FunctionOrAction] = field(default_factory=list)
    sets: list[EntitySet] = field(default_factory=list)
    imports: list[tuple[str, str, int]] = field(default_factory=list)
    aliases: dict[str, str] = field(default_factory=dict)
    associations: dict[str, dict[str, tuple[str, str]]] = field(default_factory=dict)
    warnings: list[Problem] = field(default_factory=list)
    computed: set[str] = field(default_factory=set)
    denials: dict[str, set[str]] = field(default_factory=dict)

    def qualified(self, name: str) -> str:
        """The name with its namespace in place of an alias."""
        before, _, last = name.rpartition(".")
        return f"{self.aliases.get(before, before)}.{last}" if before else name
