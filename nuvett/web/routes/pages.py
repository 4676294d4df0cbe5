"""Pages that belong to no series."""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse

from nuvett.web.context import Means
from nuvett.web.views.glossary import GLOSSARY

router = APIRouter()


@router.get("/glossary")
def glossary(context: Means) -> HTMLResponse:
    return context.page("glossary.html", "glossary", words=sorted(GLOSSARY.items()))
