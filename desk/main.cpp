#include "core/night/sky_tables.h"
#include "desk/theme/theme.h"
#include "desk/window/main_window.h"

#include <QApplication>
#include <QStyleFactory>

int main(int argc, char** argv) {
    QApplication application(argc, argv);
    QApplication::setApplicationName("Path Mark");
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    pathmark::desk::applyTheme(application, pathmark::desk::Theme::Dark);
    pathmark::night::useShippedLeapSeconds();
    pathmark::desk::MainWindow window;
    const QStringList arguments = QApplication::arguments();
    if (arguments.size() > 1) {
        window.openNight(arguments.at(1));
    }
    window.show();
    return QApplication::exec();
}
