#include "desk/shell/notice.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDBusPendingCall>
#include <QVariantMap>

namespace pathmark::desk {

void notifyDesktop(const QString& title, const QString& text) {
    const QDBusConnection bus = QDBusConnection::sessionBus();
    if (!bus.isConnected()) {
        return;
    }
    constexpr uint replacesNone = 0;
    constexpr int usualTime = -1;
    QDBusMessage message = QDBusMessage::createMethodCall("org.freedesktop.Notifications",
                                                          "/org/freedesktop/Notifications",
                                                          "org.freedesktop.Notifications",
                                                          "Notify");
    message.setArguments({QStringLiteral("Path Mark"),
                          replacesNone,
                          QString(),
                          title,
                          text.toHtmlEscaped(),
                          QStringList(),
                          QVariantMap(),
                          usualTime});
    bus.asyncCall(message); // nobody waits for it
}

} // namespace pathmark::desk
