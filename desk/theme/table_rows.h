#pragma once

#include "desk/theme/theme.h"

#include <QHeaderView>
#include <QTableView>

namespace pathmark::desk {

constexpr const char* kRowHeight = "rowHeight";

/// Gives the rows of a table a height that grows with the text.
inline void setRowHeight(QTableView& table, int height) {
    table.setProperty(kRowHeight, height);
    table.verticalHeader()->setDefaultSectionSize(static_cast<int>(scaled(height)));
}

/// After the size of text was changed.
inline void growRows(const QWidget& window) {
    for (auto* table : window.findChildren<QTableView*>()) {
        if (const int height = table->property(kRowHeight).toInt(); height > 0) {
            setRowHeight(*table, height);
            table->resizeColumnsToContents();
        }
    }
}

} // namespace pathmark::desk
