"""The address of the search."""

from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk.search import search
from brookfall.desk.views import SearchView
from brookfall.records.database import transaction

search_api = blueprint("search")


class SearchQuery(BaseModel):
    words: str = Field(min_length=1, max_length=200)


@search_api.get("/search", responses={200: SearchView})
@login_required
@shows
def get_search(query: SearchQuery) -> SearchView:
    """Models, cases, findings, exhibits, questions and people with all these words, of what the person may see."""
    with transaction() as session:
        return search(session, asking(session), query.words)
