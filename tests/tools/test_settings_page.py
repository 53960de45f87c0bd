"""The page of settings says what the code reads."""

import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent.parent
sys.path.insert(0, str(ROOT / "tools"))
import settings_page  # noqa: E402


def test_the_page_is_what_the_settings_classes_say():
    assert settings_page.TARGET.read_text() == settings_page.page(), "run tools/generate"


def test_every_setting_stands_in_it_with_its_default_and_its_choices():
    page = settings_page.page()
    assert "| `max_waits` | integer | `3` | how often a call is sent again" in page
    assert "| `carrier` | `header` `query` `cookie` `body` |" in page
    assert "| `name` | text | needed |" in page
    for _, _, forms in settings_page.SECTIONS:
        assert forms
        for name, form in forms:
            assert f"### `{name}`" in page
            assert all(f"| `{field.name}` |" in page for field in form.fields), name


def test_every_setting_says_what_it_is_for():
    silent = [
        f"{name}.{field.name}"
        for _, _, forms in settings_page.SECTIONS
        for name, form in forms
        for field in form.fields
        if not field.help
    ]
    assert silent == []
