#include "desk/shell/kept_state.h"

#include <QFileInfo>
#include <QSettings>
#include <QVariant>

namespace pathmark::desk::kept {
namespace {

constexpr int kNights = 10;
constexpr const char* kRecent = "nights/recent";
constexpr const char* kGeometry = "window/geometry";
constexpr const char* kTheme = "window/theme";
constexpr const char* kText = "window/text";

constexpr const char* kFetches = "run/fetches";

QString widthsOf(const QString& bench) {
    return "benches/" + bench + "/widths";
}

} // namespace

QStringList recentNights() {
    QStringList nights = QSettings().value(kRecent).toStringList();
    nights.removeIf([](const QString& night) { return !QFileInfo::exists(night); });
    return nights;
}

void addRecentNight(const QString& folderOrNight) {
    const QString whole = QFileInfo(folderOrNight).absoluteFilePath();
    QStringList nights = recentNights();
    if (!nights.isEmpty() && nights.front() == whole) {
        return;
    }
    nights.removeAll(whole);
    nights.prepend(whole);
    QSettings().setValue(kRecent, QStringList(nights.mid(0, kNights)));
}

QList<int> widths(const QString& bench) {
    QList<int> list;
    for (const QVariant& width : QSettings().value(widthsOf(bench)).toList()) {
        list.append(width.toInt());
    }
    return list;
}

void setWidths(const QString& bench, const QList<int>& widths) {
    QVariantList list;
    for (const int width : widths) {
        list.append(width);
    }
    QSettings().setValue(widthsOf(bench), list);
}

QByteArray geometry() {
    return QSettings().value(kGeometry).toByteArray();
}

void setGeometry(const QByteArray& geometry) {
    QSettings().setValue(kGeometry, geometry);
}

std::optional<int> theme() {
    const QVariant value = QSettings().value(kTheme);
    return value.isValid() ? std::optional(value.toInt()) : std::nullopt;
}

std::optional<int> textPercent() {
    const QVariant value = QSettings().value(kText);
    return value.isValid() ? std::optional(value.toInt()) : std::nullopt;
}

void setTextPercent(int percent) {
    QSettings().setValue(kText, percent);
}

void setTheme(int theme) {
    QSettings().setValue(kTheme, theme);
}

bool fetches() {
    return QSettings().value(kFetches, true).toBool();
}

void setFetches(bool fetches) {
    QSettings().setValue(kFetches, fetches);
}

} // namespace pathmark::desk::kept
