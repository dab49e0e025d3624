#pragma once

#include <QString>

// What happened, for the hour in which something went wrong: a file of the last days' events. Nothing is logged from inner loops.
namespace pathmark::desk {

/// Begins the log in a folder, empty: the user's folder for the state of programs. Qt's own warnings go there too. A folder that
/// cannot be written to is no reason not to start: then there is no log.
void startLog(const QString& folder = {});

/// Ends it; what is logged afterwards is dropped.
void stopLog();

void logEvent(const QString& text);
void logProblem(const QString& text);

/// Where the log is; empty where there is none.
QString logFile();

} // namespace pathmark::desk
