"""Views of runs that people have named."""

from __future__ import annotations

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from unisequa.store.tables.base import Base


class ViewRow(Base):
    """How somebody looks at runs, under a name of theirs; ``query`` as it stands in an address."""

    __tablename__ = "views"
    __table_args__ = (UniqueConstraint("person_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("people.id"))
    name: Mapped[str] = mapped_column(String(80))
    query: Mapped[str] = mapped_column(String(500))
