#include "desk/window/key_overlay.h"

#include "desk/theme/theme.h"

#include <QPainter>

#include <utility>

namespace pathmark::desk {
namespace {

constexpr std::pair<const char*, const char*> kKeys[] = {
    {"← →", "one frame back, on"},
    {"Space", "play the night, stop"},
    {"Home, End", "first, last frame"},
    {"X", "leave a frame out, take it back"},
    {"Q", "next quality on the Ribbon, or in Gather"},
    {"L", "leave out what lies beyond the line"},
    {"I", "header of the frame"},
    {"B (held)", "the frame before calibration"},
    {"↑ ↓", "body in hand"},
    {"S", "stack or frame"},
    {"C", "body in hand to the middle"},
    {", .", "cut-out, or observation in Identify"},
    {"O", "observation out of the orbit, or back"},
    {"K  P  D", "keep, park, drop the measurement"},
    {"Ctrl+Z, Ctrl+Shift+Z", "undo, redo"},
    {"wheel, + −", "zoom"},
    {"F", "whole picture"},
    {"N", "north up, or as the camera saw it"},
    {"H (held)", "hide all marks"},
    {"M", "marks of stars, in Solve"},
    {"G", "fit by hand, in Solve"},
    {"[  ]", "darker, brighter"},
    {"1 … 7", "Gather … Report"},
    {"Ctrl+F", "find in a list of an archive"},
    {"Ctrl+O", "open a folder"},
    {"Ctrl+Shift+O", "choose a recipe"},
    {"Ctrl+R", "run the night"},
    {"Esc", "stop the run"},
    {"Ctrl+S", "save the report"},
    {"T", "dark, dome, light"},
    {"F1", "this sheet"},
};

} // namespace

KeyOverlay::KeyOverlay(QWidget* parent) : QWidget(parent) {
    setObjectName("keys");
    hide();
}

void KeyOverlay::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const Colours& c = colours();
    painter.fillRect(rect(), QColor(c.ground.red(), c.ground.green(), c.ground.blue(), 235));
    constexpr int count = static_cast<int>(std::size(kKeys));
    constexpr int rows = (count + 1) / 2;
    const int top = (height() - rows * 30) / 2;
    const int left = width() / 2 - 420;
    QFont bold = painter.font();
    bold.setBold(true);
    for (int i = 0; i < count; ++i) {
        const int x = left + (i / rows) * 430;
        const int y = top + (i % rows) * 30;
        painter.setFont(bold);
        painter.setPen(c.text);
        painter.drawText(QRect(x, y, 150, 24), Qt::AlignRight | Qt::AlignVCenter, kKeys[i].first);
        painter.setFont(QFont());
        painter.setPen(c.quiet);
        painter.drawText(
            QRect(x + 166, y, 260, 24), Qt::AlignLeft | Qt::AlignVCenter, kKeys[i].second);
    }
}

void KeyOverlay::mousePressEvent(QMouseEvent*) {
    hide();
}

} // namespace pathmark::desk
