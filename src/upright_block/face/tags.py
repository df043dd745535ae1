"""The tags, tables and wiring of a library from outside, and the mapping test."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from upright_block.errors import BadValue, NotRunnable, UnknownName
from upright_block.face import words
from upright_block.face.contents import Contents
from upright_block.language.names import did_you_mean
from upright_block.language.source import Source
from upright_block.language.words import has_errors

if TYPE_CHECKING:
    from datetime import timedelta

    from upright_block.language.field.standing import Standing
    from upright_block.language.field.tag_uses import TagUse
    from upright_block.language.field.tags import Tag
    from upright_block.language.typed import Unit
    from upright_block.library.sheets import Rows
    from upright_block.library.writing import Changes
    from upright_block.lists.taken import Imported
    from upright_block.mapping.judging import Judged
    from upright_block.mapping.proposing import Proposal


class WithTags(Contents):
    """The tags of a library, its tables, and what they reach."""

    def tag(self, name: str) -> Tag | None:
        """A tag, letter case ignored."""
        return self._library.scope.tags.get(name.upper())

    @property
    def spare_points(self) -> list[tuple[str, str]]:
        """The points without a tag in bytes and words of which others have one: the address, and what it is in."""
        from upright_block.language.field.spare import spare_points

        return spare_points(self.tags, self._library.scope.points)

    def tag_near(self, name: str) -> str:
        """A sentence that offers the tag with nearly this name."""
        return did_you_mean(name, (tag.name for tag in self.tags)) or "upright tags lists all of them."

    def tag_rows(self, tags: Sequence[Tag] | None = None) -> tuple[Rows, int]:
        """Tags for a spreadsheet, with every column that their tables have, and how many rows of these are left out.

        Without ``tags`` it is every row of every table, also those with errors, and the global variables AT a point;
        else left out are the rows with errors.

        Raises:
            BadValue: a row of a table does not fit its columns.
        """
        from upright_block.library.sheets import Rows
        from upright_block.library.tagfile import columns_of

        tables = self._library.tag_tables
        written = [cells for table in tables for cells in table.rows]
        others = [tag for tag in (self.tags if tags is None else tags) if not tag.cells]
        known = {id(tag.cells) for tag in self.tags}
        if tags is None:
            chosen = [{column: cell.text for column, cell in cells.items()} for cells in written] + list(
                map(_texts, others)
            )
        else:
            chosen = list(map(_texts, tags))
        left = 0 if tags is None else sum(id(cells) not in known for cells in written)
        return Rows("tags", columns_of([table.source for table in tables], bool(others)), chosen), left

    def import_list(
        self,
        file: Path | None,
        text: str = "",
        into: str = "",
        *,
        sheet: Sequence[str] = (),
        head: int | None = None,
        columns: Mapping[str, str] | None = None,
        decimal: str = "",
    ) -> Imported:
        """Lay a list of points as it comes, a .csv or .xlsx ``file`` or a ``text``, over the tag table ``into``, which
        may be new; by default it is called as the file. Nothing is written.

        ``sheet`` names the sheets to take, by default all that have heads; ``head`` is the row of the heads;
        ``columns`` says which head is taken for a column (``{"point": "Address"}``), and an empty one that none is;
        ``decimal`` is the sign before decimals.

        Raises:
            BadValue: it is no list of tags, or something in it can be read in two ways.
            NotRunnable: the table cannot be read.
        """
        from upright_block.lists.renewing import renewed
        from upright_block.lists.taken import Imported
        from upright_block.lists.taking import Asked, take

        taken = take(file, text, Asked(sheet, head, columns or {}, decimal))
        path = self.table_path(into or (file.stem if file else ""))
        table = self._source_at(path)
        found = renewed(table, taken)
        return Imported(taken, found.notes, {path: (table.text, found.text)})

    def adopt(self, into: str, with_points: bool = False) -> tuple[Changes, list[str]]:
        """What becomes of the tag table ``into`` with a row for each name that pins are wired to and no tag has, empty
        where all have one; and the names whose type cannot be told. Nothing is written.

        Raises:
            BadValue: the table lacks a column.
            NotRunnable: it cannot be read.
        """
        from upright_block.edits.adopting import adopted
        from upright_block.library.writing import changes

        _ = self._suite  # cases name tags too
        table = self._source_at(self.table_path(into))
        edits, untold = adopted(self._library.scope, table, with_points)
        return changes(self._library.files, edits), untold

    def table_path(self, name: str) -> Path:
        """Where the tag table of a name is, or would be."""
        return self.root / self._library.manifest.folders["tags"][0] / f"{name}.csv"

    def wiring(self, name: str) -> Unit:
        """The program that a wiring table is, letter case ignored.

        Raises:
            UnknownName: there is no such table.
            NotRunnable: it has errors.
        """
        tables = [unit for unit in self.units if unit.is_wired]
        unit = next((unit for unit in tables if unit.key == name.upper()), None)
        if unit is None:
            other = self.find(name)
            if other is not None:
                raise UnknownName(*words.not_a_table(other.name, [unit.name for unit in tables]))
            near = did_you_mean(name, (unit.name for unit in tables))
            raise UnknownName(*words.no_such_table(name, near))
        if unit.is_broken:
            raise NotRunnable(*has_errors(unit.name))
        return unit

    def put_in_order(self, name: str) -> Changes:
        """What becomes of a wiring table in the order of its values, which may be what it was. Nothing is written.

        Raises:
            UnknownName: there is no such table.
            NotRunnable: it has errors, or is in a workbook.
        """
        from upright_block.edits.reordering import reordered
        from upright_block.language.source import Sheet
        from upright_block.library.writing import changes

        unit = self.wiring(name)
        if isinstance(unit.source, Sheet):
            raise NotRunnable(*words.workbook_not_ordered(unit.source.path))
        as_it_is = {self.root / unit.source.path: (unit.source.text, unit.source.text)}
        return changes(self._library.files, reordered(unit)) or as_it_is

    @cached_property
    def tag_uses(self) -> list[TagUse]:
        """Where tags are read and written."""
        from upright_block.language.field.tag_uses import tag_uses

        return tag_uses(self.tags, [*self.units, *self.configurations])

    def standing(self, tag: Tag) -> Standing | None:
        """Where a tag leads that stands for something else; None for any other."""
        from upright_block.language.field.standing import standing_of

        scope = self._library.scope
        return standing_of(tag, scope.tags, scope.points) if "stands_for" in tag.cells else None

    def uses_of(self, tag: Tag) -> list[TagUse]:
        """Where a tag is read and written; of a second name those that call it so."""
        from upright_block.language.field.standing import uses_by

        standing = self.standing(tag)
        if standing is None:
            return [use for use in self.tag_uses if use.tag is tag]
        return uses_by(tag, standing, self.tag_uses)

    def walk(
        self,
        configuration: str | None = None,
        hold: str | int | timedelta | None = None,
        compare: bool = True,
        done: Callable[[], object] | None = None,
    ) -> list[Judged]:
        """Move each point of a configuration by itself, and judge what followed.

        ``hold`` is how long each change is held, such as ``"5s"`` or an int in ns; by default for three scans of each
        task that sees it. With ``compare`` tags that do not say what they reach are compared with the approved map.

        Raises:
            UnknownName: there is no such configuration, or several and no name.
            NotRunnable: it has errors, or no tags.
            BadValue: ``hold`` is no duration.
        """
        from upright_block.cases.cells import duration
        from upright_block.mapping.approved import FILE_NAME, read_map
        from upright_block.mapping.judging import judge
        from upright_block.mapping.walk import Walker

        unit = self.configuration(configuration)
        if unit.is_broken:
            raise NotRunnable(*has_errors(unit.name))
        if not self.tags:
            raise NotRunnable(*words.no_tags())
        walker = Walker(unit, self._library.scope, self.timebase(unit), 0 if hold is None else duration(hold))
        try:
            known = read_map(Source(FILE_NAME, approved)) if compare and (approved := self.approved_map()) else None
        except ValueError as problem:
            raise BadValue(*words.no_approved_map(FILE_NAME, problem)) from None
        fault = walker.bench.fault
        if fault is not None:
            raise NotRunnable(*words.stops_at_once(walker.configuration.name, fault.site))
        return judge(walker.walk(done), known)

    def propose_reaches(self, found: Sequence[Judged]) -> tuple[Changes, list[Proposal]]:
        """What becomes of the tag tables with the column ``reaches`` filled by what a walk found, where it pairs with
        the names of tags, by numbers or by words; and what wants a look, is left open, or has no row in a .csv table.
        Nothing is written.

        Raises:
            BadValue: a row of a table does not fit its columns.
        """
        from upright_block.edits.filling import filled
        from upright_block.language.source import Sheet
        from upright_block.library.writing import changes
        from upright_block.mapping.proposing import proposed

        texts: dict[Source, dict[int, str]] = {}
        left: list[Proposal] = []
        for each in proposed(found):
            cell = each.tag.cells.get("tag")
            if cell is not None and not isinstance(each.tag.source, Sheet):
                if each.text:
                    texts.setdefault(each.tag.source, {})[cell.start] = each.text
                if not each.says:
                    continue
            left.append(each)
        edits = [edit for source, rows in texts.items() for edit in filled(source, "reaches", rows)]
        return changes(self._library.files, edits), left

    @property
    def approved_path(self) -> Path:
        """Where the approved map is, or would be."""
        from upright_block.mapping.approved import FILE_NAME

        return self.root / FILE_NAME

    def approved_map(self) -> str:
        """The text of the approved map; empty where there is none."""
        return self.text_at(self.approved_path)

    @staticmethod
    def map_rows(found: Sequence[Judged]) -> Rows:
        """The map of a walk, to be approved or filed."""
        from upright_block.mapping.approved import map_rows

        return map_rows((entry.tag, entry.pins) for entry in found)

    @staticmethod
    def is_wrong(found: Sequence[Judged]) -> bool:
        """Whether anything of a walk is wrong."""
        from upright_block.mapping.judging import WRONG

        return any(entry.status in WRONG for entry in found)


def _texts(tag: Tag) -> dict[str, str]:
    """The row of a tag; of a global variable AT a point the row that it would have."""
    if tag.cells:
        return {column: cell.text for column, cell in tag.cells.items()}
    type_ = tag.variable.type.name if tag.variable else tag.held.name if tag.held else ""
    return {"tag": tag.name, "point": tag.address, "type": type_}
