#pragma once

#include <QScrollArea>

namespace pathmark::desk {

/// Lets content that may be longer than its room be scrolled downwards, and never sideways.
inline void scrollDownwards(QScrollArea& area, QWidget* content) {
    area.setWidget(content);
    area.setWidgetResizable(true);
    area.setFrameShape(QFrame::NoFrame);
    area.setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
}

} // namespace pathmark::desk
