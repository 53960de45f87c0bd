#!/usr/bin/env python
"""Django's management commands, for developers."""

import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent / "src"))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rondine.server.settings")

from django.core.management import execute_from_command_line

execute_from_command_line(sys.argv)
