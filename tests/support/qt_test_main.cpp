#include "desk/shell/language.h"
#include "desk/theme/theme.h"

#include <QApplication>
#include <QSettings>
#include <QStandardPaths>
#include <QStyleFactory>
#include <QTemporaryDir>

#include <gtest/gtest.h>

#include <cstdlib>

namespace {

/// A Qt warning is a failure, but for what the offscreen platform says it cannot do with each dialog.
void failOnWarning(QtMsgType type, const QMessageLogContext&, const QString& text) {
    const bool known =
        text.startsWith("This plugin does not support") || text.contains("XDG_RUNTIME_DIR");
    if (type != QtDebugMsg && type != QtInfoMsg && !known) {
        ADD_FAILURE() << "Qt warns: " << text.toStdString();
    }
}

} // namespace

int main(int argc, char** argv) {
    ::setenv("QT_QPA_PLATFORM", "offscreen", 1);
    ::testing::InitGoogleTest(&argc, argv);
    QStandardPaths::setTestModeEnabled(true);
    qInstallMessageHandler(failOnWarning);
    QApplication application(argc, argv);
    // What the window keeps is kept for one run of the tests only.
    const QTemporaryDir settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QApplication::setOrganizationName("pathmark");
    QApplication::setApplicationName("desk");
    QApplication::setStyle(QStyleFactory::create("Fusion"));
    pathmark::desk::useLanguage(application);
    pathmark::desk::applyTheme(application, pathmark::desk::Theme::Dark);
    return RUN_ALL_TESTS();
}
