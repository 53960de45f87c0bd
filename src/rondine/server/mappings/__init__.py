"""From responses to records, before anything is kept: outlines, proposals, mappings, previews."""
