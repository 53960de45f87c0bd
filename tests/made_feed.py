"""A feed made by hand, of a made-up service whose answers a test sets."""

ROWS = [{"number": f"OLM-{number}", "girth": number} for number in range(1, 7)]


def feed(rondine, trees, name, pages, paging=None, **options):
    """A feed made by hand, so that no response has shown its paging before; named like its service and record type."""
    trees.pages, trees.headers = pages, options.pop("headers", None)
    office = rondine.office()
    service = rondine.connect(name, trees.outside.url)
    document = {"path": options.pop("path", "/trees"), **({"paging": paging} if paging else {})}
    office.operations.make(name, service=service, document={**document, **options.pop("operation", {})})
    kinds = options.pop("kinds", {"number": "text", "girth": "decimal"})
    record_type = options.pop("record_type", name)
    if record_type == name:
        fields = [{"name": field, "type": kind, "searchable": kind != "json"} for field, kind in kinds.items()]
        document = {"fields": fields, "key": ["number"], **options.pop("type_document", {})}
        office.record_types.make(name, document=document)
    rows = options.pop("rows", [{"level": "tree", "at": "trees[*]"}])
    fields = [{"name": field, "from": field} for field in options.pop("filled", kinds)]
    mapping = {"outputs": [{"record_type": record_type, "rows": rows, "fields": fields}]}
    office.mappings.make(name, service=service, document=mapping)
    office.feeds.make(name, operation=name, mapping=name, environment="test", document=options.pop("document", {}))
    assert not options, options
    return name


def whole(rows):
    """A page that shows that it is all."""
    return [{"trees": rows, "next": None}]
