#pragma once

#include <QByteArray>
#include <QList>
#include <QString>
#include <QStringList>

#include <optional>

// What the window remembers from one start to the next.
namespace pathmark::desk::kept {

/// The nights opened last, the latest first; those that are gone are left out.
QStringList recentNights();
void addRecentNight(const QString& folderOrNight);

/// How the room is divided while a bench is seen; empty where the observer never moved it.
QList<int> widths(const QString& bench);
void setWidths(const QString& bench, const QList<int>& widths);

/// Place and size of the window, as QWidget::saveGeometry gives them.
QByteArray geometry();
void setGeometry(const QByteArray& geometry);

/// The number of the theme.
std::optional<int> theme();

/// Of text, in per cent of its normal size.
std::optional<int> textPercent();
void setTextPercent(int percent);
void setTheme(int theme);

/// Whether a run fetches what it needs and is not here.
bool fetches();
void setFetches(bool fetches);

} // namespace pathmark::desk::kept
