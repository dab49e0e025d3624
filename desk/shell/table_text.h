#pragma once

#include "core/catalog/written_table.h"

class QAbstractItemModel;
class QString;
class QTableView;
class QWidget;

namespace pathmark::desk {

/// A table as it is seen, for other programs: its heads and its cells, lines within a cell parted by blanks.
catalog::WrittenTable writtenTable(const QAbstractItemModel& model, const QString& name);

/// The rows that are chosen, or all where at most one is, as a spreadsheet takes them: tabs between cells.
QString copiedText(const QTableView& table);

/// The table that the hand is on, or the first that is seen in a room; null: there is none.
QTableView* tableIn(QWidget& room);

} // namespace pathmark::desk
