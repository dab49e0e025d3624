#pragma once

#include "desk/session/night_session.h"

#include <QCoreApplication>
#include <QPointer>

#include <utility>

namespace pathmark::desk {

/// Calls in the window's thread, from any, if the session is still there.
template <typename Call>
void inWindow(const QPointer<NightSession>& session, Call call) {
    QMetaObject::invokeMethod(
        qApp,
        [session, call = std::move(call)] {
            if (session) {
                call(*session);
            }
        },
        Qt::QueuedConnection);
}

} // namespace pathmark::desk
