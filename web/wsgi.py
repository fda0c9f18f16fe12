import os

from django.core.wsgi import get_wsgi_application

from web.shell.collecting import collect_rarely

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "web.settings")
application = get_wsgi_application()
collect_rarely()
