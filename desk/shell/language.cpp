#include "desk/shell/language.h"

#include "core/night/data_files.h"

#include <QCoreApplication>
#include <QLocale>
#include <QTranslator>

namespace pathmark::desk {

void useLanguage(QCoreApplication& application) {
    const QString folder = QString::fromStdString(night::dataFile("translations").string());
    auto* translator = new QTranslator(&application);
    if (translator->load(QLocale(), "pathmark", "_", folder) ||
        translator->load("pathmark_en", folder)) {
        QCoreApplication::installTranslator(translator);
    }
}

} // namespace pathmark::desk
