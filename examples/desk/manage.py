"""Runs the desk: python manage.py runserver 127.0.0.1:18240"""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ["DJANGO_SETTINGS_MODULE"] = "desk.settings"
    execute_from_command_line(sys.argv)
