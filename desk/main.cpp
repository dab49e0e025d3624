#include "core/night/sky_tables.h"
#include "desk/shell/kept_state.h"
#include "desk/shell/language.h"
#include "desk/shell/log.h"
#include "desk/theme/theme.h"
#include "desk/window/main_window.h"

#include <QApplication>
#include <QStyleFactory>

#include <algorithm>

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QApplication::setApplicationName("desk");
    QApplication::setOrganizationName("pathmark");
    QApplication::setApplicationDisplayName("Path Mark");
    pathmark::desk::startLog();
    pathmark::desk::useLanguage(application);
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    const int theme = pathmark::desk::kept::theme().value_or(0);
    pathmark::desk::applyTheme(application,
                               static_cast<pathmark::desk::Theme>(std::clamp(theme, 0, 2)),
                               pathmark::desk::kept::textPercent().value_or(100));
    pathmark::night::useShippedLeapSeconds();
    pathmark::desk::MainWindow window;
    const QStringList arguments = QApplication::arguments();
    if (arguments.size() > 1) {
        window.openNight(arguments.at(1));
    }
    window.show();
    return QApplication::exec();
}
