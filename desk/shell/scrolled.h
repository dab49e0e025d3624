#pragma once

#include <QScrollArea>

namespace pathmark::desk {

/// Lets content that may be longer than its room be scrolled downwards, and never sideways. A turn of the wheel that scrolls it goes on
/// scrolling: what comes to lie under the mouse on the way, a plot that the wheel zooms, takes no part in it.
void scrollDownwards(QScrollArea& area, QWidget* content);

} // namespace pathmark::desk
