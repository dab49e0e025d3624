#pragma once

#include "desk/theme/theme.h"

#include <QHeaderView>
#include <QTableView>

namespace pathmark::desk {

constexpr const char* kRowHeight = "rowHeight";

/// The name of the property that keeps a column's widest text.
inline QByteArray widestOf(int column) {
    return "widestText" + QByteArray::number(column);
}

/// Gives the rows of a table a height that grows with the text.
inline void setRowHeight(QTableView& table, int height) {
    table.setProperty(kRowHeight, height);
    table.verticalHeader()->setDefaultSectionSize(static_cast<int>(scaled(height)));
}

/// Gives a column the room for its widest text, whatever its rows hold now.
inline void setColumnFor(QTableView& table, int column, const QString& widest) {
    table.setProperty(widestOf(column).constData(), widest);
    table.setColumnWidth(column, table.fontMetrics().horizontalAdvance(widest) + 14);
}

inline void growColumns(QTableView& table) {
    for (int column = 0; column < table.model()->columnCount(); ++column) {
        const QString widest = table.property(widestOf(column).constData()).toString();
        if (!widest.isEmpty()) {
            setColumnFor(table, column, widest);
        } else if (table.model()->rowCount() > 0) {
            table.resizeColumnToContents(column);
        }
    }
}

/// After the size of text was changed.
inline void growRows(const QWidget& window) {
    for (auto* table : window.findChildren<QTableView*>()) {
        if (const int height = table->property(kRowHeight).toInt(); height > 0) {
            setRowHeight(*table, height);
            growColumns(*table);
        }
    }
}

} // namespace pathmark::desk
