"""`python -m nuvett.jobs`: the worker process."""

from nuvett.jobs.worker import main

main()
