#include "core/night/sky_tables.h"
#include "desk/shell/kept_state.h"
#include "desk/shell/language.h"
#include "desk/shell/log.h"
#include "desk/theme/theme.h"
#include "desk/window/main_window.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QStyleFactory>
#include <QTimer>

#include <algorithm>

namespace {

/// What the program was started for; --help and --version end it here.
struct Started {
    QString night;     ///< a folder, a night file, a list of an archive or a frame; may be empty
    bool asks = false; ///< for a folder
};

Started readArguments(const QApplication& application) {
    QCommandLineParser parser;
    parser.setApplicationDescription("The window of Path Mark: a night's frames of minor planets "
                                     "and comets, from the camera to the report.");
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(
        "night",
        "A folder of frames, a night file, a list that 'archive' wrote, or a frame",
        "[night]");
    const QCommandLineOption last("last", "Open the night that was opened last");
    const QCommandLineOption open("open", "Ask for a folder of frames");
    parser.addOptions({last, open});
    parser.process(application);
    Started started{parser.positionalArguments().value(0), parser.isSet(open)};
    if (started.night.isEmpty() && parser.isSet(last)) {
        started.night = pathmark::desk::kept::recentNights().value(0);
    }
    return started;
}

} // namespace

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QApplication::setApplicationName("desk");
    QApplication::setOrganizationName("pathmark");
    QApplication::setApplicationDisplayName("Path Mark");
    QApplication::setApplicationVersion(PATHMARK_VERSION);
    QApplication::setDesktopFileName("org.pathmark.Desk");
    const Started started = readArguments(application);
    pathmark::desk::startLog();
    pathmark::desk::useLanguage(application);
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    const int theme = pathmark::desk::kept::theme().value_or(0);
    pathmark::desk::applyTheme(application,
                               static_cast<pathmark::desk::Theme>(std::clamp(theme, 0, 2)),
                               pathmark::desk::kept::textPercent().value_or(100));
    pathmark::night::useShippedLeapSeconds();
    pathmark::desk::MainWindow window;
    if (!started.night.isEmpty()) {
        window.openNight(started.night);
    }
    window.show();
    if (started.asks) {
        QTimer::singleShot(0, &window, [&window] { window.commands().trigger("night.open"); });
    }
    return QApplication::exec();
}
