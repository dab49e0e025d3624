#include "desk/shell/kept_state.h"

#include "core/night/run_needs.h"

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

constexpr const char* kRunSite = "run/site";
constexpr const char* kRunStore = "run/store";
constexpr const char* kRunCatalog = "run/catalog";
constexpr const char* kRunOrbits = "run/orbits";
constexpr const char* kRunObserver = "run/observer";

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

night::RecipeChoices runChoices() {
    const QSettings settings;
    night::RecipeChoices choices;
    // Written out in full, so no list of codes is needed.
    if (auto site = night::siteFromText(settings.value(kRunSite).toString().toStdString(), {})) {
        choices.site = std::move(*site);
    }
    choices.store = settings.value(kRunStore).toString().toStdString();
    choices.catalog = settings.value(kRunCatalog).toString().toStdString();
    for (const QString& file : settings.value(kRunOrbits).toStringList()) {
        choices.orbits.emplace_back(file.toStdString());
    }
    choices.observer = settings.value(kRunObserver).toString().toStdString();
    return choices;
}

void setRunChoices(const night::RecipeChoices& choices) {
    QSettings settings;
    if (choices.site) {
        settings.setValue(kRunSite, QString::fromStdString(night::siteText(*choices.site)));
    }
    settings.setValue(kRunStore, QString::fromStdString(choices.store.string()));
    settings.setValue(kRunCatalog, QString::fromStdString(choices.catalog));
    QStringList orbits;
    for (const auto& file : choices.orbits) {
        orbits.append(QString::fromStdString(file.string()));
    }
    settings.setValue(kRunOrbits, orbits);
    settings.setValue(kRunObserver, QString::fromStdString(choices.observer));
}

} // namespace pathmark::desk::kept
