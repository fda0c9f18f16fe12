import os

from django.core.wsgi import get_wsgi_application

from web.shell.collecting import collect_rarely
from web.shell.warming import warm

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
application = get_wsgi_application()
warm()
collect_rarely()
