#include "desk/theme/theme.h"

#include <QApplication>
#include <QPainter>
#include <QPalette>
#include <QString>
#include <QStyle>
#include <QWidget>

namespace pathmark::desk {
namespace {

struct State {
    Theme theme = Theme::Dark;
    Colours colours;
    int textPercent = 100;
};

State& state() {
    static State current;
    return current;
}

Colours coloursOf(Theme theme) {
    switch (theme) {
    case Theme::Dome:
        return {QColor("#0a0202"),
                QColor("#0e0303"),
                QColor("#3a1010"),
                QColor("#f0705e"),
                QColor("#cc4f44"),
                QColor("#ffa07a"),
                QColor("#d8584a"),
                QColor("#ff3a2c"),
                QColor("#c85468")};
    case Theme::Light:
        return {QColor("#f4f5f6"),
                QColor("#ffffff"),
                QColor("#c5ccd3"),
                QColor("#1d242b"),
                QColor("#5b6672"),
                QColor("#965c00"),
                QColor("#14756a"),
                QColor("#b02a50"),
                QColor("#5a43b0")};
    case Theme::Dark: break;
    }
    return {QColor("#12161b"),
            QColor("#1a2027"),
            QColor("#2c3540"),
            QColor("#d7dde4"),
            QColor("#8793a0"),
            QColor("#e6a23c"),
            QColor("#45b8ac"),
            QColor("#d9668b"),
            QColor("#9a86e0")};
}

/// Of text of normal size.
constexpr int kTextPixels = 12;

QString styleSheet(const Colours& c, int textPercent) {
    return QString("QWidget { background: %1; color: %2; font-size: %8px; }"
                   "QToolTip { background: %3; color: %2; border: 1px solid %4; }"
                   "QPushButton { background: %3; border: 1px solid %4; border-radius: 3px; "
                   "padding: 4px 10px; }"
                   "QPushButton:hover { border-color: %5; }"
                   "QPushButton:checked { border: 1px solid %2; background: %4; }"
                   "QPushButton:disabled { color: %5; }"
                   "QPushButton:focus { border-color: %2; }"
                   "QLineEdit { background: %3; border: 1px solid %4; border-radius: 3px; "
                   "padding: 2px 4px; }"
                   "QLineEdit:focus { border-color: %2; }"
                   "QLineEdit:read-only { background: transparent; border-color: transparent; }"
                   "QCheckBox { spacing: 8px; }"
                   "QCheckBox::indicator { width: 12px; height: 12px; border: 1px solid %5; "
                   "background: %3; }"
                   "QCheckBox::indicator:checked { background: %6; border-color: %6; }"
                   "QPlainTextEdit, QListView { background: %3; border: 1px solid %4; }"
                   "QProgressBar { background: %3; border: 1px solid %4; height: 8px; text-align: "
                   "center; }"
                   "QProgressBar::chunk { background: %6; }"
                   "QSplitter::handle { background: %4; }"
                   "QMenu { background: %3; border: 1px solid %4; }"
                   "QMenu::item:selected { background: %4; }"
                   "QMenu::item:disabled { color: %5; }"
                   "QSlider::groove:horizontal { background: %4; height: 3px; }"
                   "QSlider::handle:horizontal { background: %5; width: 8px; margin: -5px 0; "
                   "border-radius: 2px; }"
                   "QLabel[bold=\"true\"] { font-weight: bold; }"
                   "QLabel[tone=\"quiet\"] { color: %5; }"
                   "QLabel[tone=\"agreed\"] { color: %6; }"
                   "QLabel[tone=\"disagrees\"] { color: %7; }"
                   "QScrollBar:vertical { background: %1; width: 10px; }"
                   "QScrollBar::handle:vertical { background: %4; min-height: 24px; }"
                   "QScrollBar:horizontal { background: %1; height: 10px; }"
                   "QScrollBar::handle:horizontal { background: %4; min-width: 24px; }"
                   "QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }")
        .arg(c.ground.name(),
             c.text.name(),
             c.panel.name(),
             c.line.name(),
             c.quiet.name(),
             c.agreed.name(),
             c.disagrees.name())
        .arg((kTextPixels * textPercent + 50) / 100);
}

} // namespace

QColor pictureTint() {
    return currentTheme() == Theme::Dome ? QColor("#c83a28") : QColor(Qt::white);
}

void dimPicture(QPainter& painter, const QRectF& place) {
    if (currentTheme() == Theme::Dome) {
        const auto mode = painter.compositionMode();
        painter.setCompositionMode(QPainter::CompositionMode_Multiply);
        painter.fillRect(place, pictureTint());
        painter.setCompositionMode(mode);
    }
}

const Colours& skyColours() {
    static const Colours dark = coloursOf(Theme::Dark);
    return state().theme == Theme::Light ? dark : state().colours;
}

const Colours& colours() {
    if (!state().colours.ground.isValid()) {
        state().colours = coloursOf(Theme::Dark);
    }
    return state().colours;
}

void setTone(QWidget& label, Tone tone) {
    static const char* const names[] = {"text", "quiet", "agreed", "disagrees"};
    label.setProperty("tone", names[static_cast<int>(tone)]);
    // A style sheet looks at a property when it is polished only.
    label.style()->unpolish(&label);
    label.style()->polish(&label);
}

Theme currentTheme() {
    return state().theme;
}

int currentTextPercent() {
    return state().textPercent;
}

double scaled(double length) {
    return 0.01 * state().textPercent * length;
}

void applyTheme(QApplication& application, Theme theme, int textPercent) {
    state() = {theme, coloursOf(theme), textPercent};
    const Colours& c = state().colours;
    QPalette palette;
    palette.setColor(QPalette::Window, c.ground);
    palette.setColor(QPalette::Base, c.panel);
    palette.setColor(QPalette::Text, c.text);
    palette.setColor(QPalette::WindowText, c.text);
    palette.setColor(QPalette::Button, c.panel);
    palette.setColor(QPalette::ButtonText, c.text);
    palette.setColor(QPalette::Highlight, c.line);
    palette.setColor(QPalette::HighlightedText, c.text);
    application.setPalette(palette);
    application.setStyleSheet(styleSheet(c, textPercent));
}

} // namespace pathmark::desk
