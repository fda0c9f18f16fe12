import os

from django.core.wsgi import get_wsgi_application

from web.frame.warming import warm
from web.shell.collecting import collect_rarely

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
application = get_wsgi_application()
warm()
collect_rarely()
