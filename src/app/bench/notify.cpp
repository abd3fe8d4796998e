#include "app/bench/notify.h"

#include <QDBusConnection>
#include <QDBusMessage>
#include <QVariantMap>

namespace nk {

void notifyDesktop(const QString& title, const QString& words, bool urgent) {
    // Desktop Notifications Specification 1.2: Notify(app, replaces, icon, summary, body, actions,
    // hints, timeout). The body may be markup: what comes from elsewhere is letters.
    const QDBusConnection bus = QDBusConnection::sessionBus();
    if (!bus.isConnected()) return;
    QDBusMessage call = QDBusMessage::createMethodCall("org.freedesktop.Notifications",
                                                       "/org/freedesktop/Notifications",
                                                       "org.freedesktop.Notifications", "Notify");
    QVariantMap hints;
    hints["urgency"] = QVariant::fromValue<uchar>(urgent ? 2 : 1);
    call << QString("Narrow Knee") << 0U << QString("narrow-knee") << title.toHtmlEscaped()
         << words.toHtmlEscaped() << QStringList() << hints << (urgent ? 0 : 10000);
    bus.call(call, QDBus::NoBlock);
}

}  // namespace nk
