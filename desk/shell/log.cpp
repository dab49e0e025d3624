#include "desk/shell/log.h"

#include <QDir>
#include <QtGlobal>

#include <spdlog/sinks/rotating_file_sink.h>
#include <spdlog/spdlog.h>

namespace pathmark::desk {
namespace {

constexpr std::size_t kBytes = 1U << 20U;
constexpr std::size_t kFiles = 4;

struct Log {
    std::shared_ptr<spdlog::logger> logger;
    QString file;
    QtMessageHandler before = nullptr;
};

Log& theLog() {
    static Log log;
    return log;
}

void takeQtMessage(QtMsgType type, const QMessageLogContext& context, const QString& text) {
    if (type != QtDebugMsg && type != QtInfoMsg) {
        logProblem(text);
    }
    if (theLog().before != nullptr) {
        theLog().before(type, context, text);
    }
}

QString stateFolder() {
    const QString set = qEnvironmentVariable("XDG_STATE_HOME");
    return (set.isEmpty() ? QDir::homePath() + "/.local/state" : set) + "/pathmark";
}

} // namespace

void startLog(const QString& folder) {
    Log& log = theLog();
    const QString place = folder.isEmpty() ? stateFolder() : folder;
    if (!QDir().mkpath(place)) {
        return;
    }
    try {
        log.file = place + "/desk.log";
        log.logger =
            std::make_shared<spdlog::logger>("desk",
                                             std::make_shared<spdlog::sinks::rotating_file_sink_mt>(
                                                 log.file.toStdString(), kBytes, kFiles - 1));
        log.logger->set_pattern("%Y-%m-%dT%H:%M:%SZ %L %v", spdlog::pattern_time_type::utc);
        log.logger->flush_on(spdlog::level::info);
        log.before = qInstallMessageHandler(takeQtMessage);
    } catch (const spdlog::spdlog_ex&) {
        log = {};
    }
}

void stopLog() {
    if (theLog().logger) {
        qInstallMessageHandler(theLog().before);
        theLog() = {};
    }
}

void logEvent(const QString& text) {
    if (theLog().logger) {
        theLog().logger->info(text.toStdString());
    }
}

void logProblem(const QString& text) {
    if (theLog().logger) {
        theLog().logger->warn(text.toStdString());
    }
}

QString logFile() {
    return theLog().file;
}

} // namespace pathmark::desk
