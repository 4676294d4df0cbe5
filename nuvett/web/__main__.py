"""`python -m nuvett.web`: a web server on its own, beside workers and other web servers of the same installation."""

import signal
from contextlib import suppress

from nuvett.core.errors import ForeignStoreError
from nuvett.logs import set_up_logs
from nuvett.services.platform.opening import open_installation
from nuvett.services.platform.studio import Studio
from nuvett.settings import Settings
from nuvett.web.security.signin import refusal_to_listen
from nuvett.web.serving import serve_pages


def main() -> None:
    """Bring the tables up to date, one process at a time, and answer requests until stopped."""
    settings = Settings()
    set_up_logs(settings.log, "web")
    refusal = refusal_to_listen(settings)
    if refusal:
        raise SystemExit(refusal)
    studio = Studio.of(settings)
    try:
        open_installation(studio)
    except ForeignStoreError as error:
        raise SystemExit(error.message) from error
    signal.signal(signal.SIGTERM, signal.getsignal(signal.SIGINT))
    with suppress(KeyboardInterrupt):
        serve_pages(settings, studio, settings.port)
    studio.database.close()


main()
