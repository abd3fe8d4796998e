#include "app/bench/notify.h"

#include <canberra.h>

#include <QDBusConnection>
#include <QDBusMessage>
#include <QDir>
#include <QFile>
#include <QGuiApplication>
#include <QTemporaryDir>
#include <QThreadPool>
#include <QVariantMap>
#include <mutex>

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

void soundCall(bool hazard) {
    // The sound server reads files: the shipped ones lie in a folder of this run's own.
    struct Sounds {
        QTemporaryDir folder;
        ca_context* context = nullptr;
        Sounds() {
            for (const char* name : {"call.wav", "hazard.wav"})
                QFile::copy(QString(":/sounds/") + name, folder.filePath(name));
            if (ca_context_create(&context) != CA_SUCCESS) context = nullptr;
        }
        ~Sounds() {
            if (context != nullptr) ca_context_destroy(context);
        }
        Sounds(const Sounds&) = delete;
        Sounds& operator=(const Sounds&) = delete;
    };
    // Opening a sound device may take its time, and there is nobody to hear an offscreen window.
    if (QGuiApplication::platformName() == "offscreen") return;
    QThreadPool::globalInstance()->start([hazard] {
        static std::mutex one;
        static Sounds sounds;
        const std::scoped_lock lock(one);
        if (sounds.context == nullptr) return;
        const QByteArray file =
            QFile::encodeName(sounds.folder.filePath(hazard ? "hazard.wav" : "call.wav"));
        ca_context_play(sounds.context, hazard ? 2 : 1, CA_PROP_MEDIA_FILENAME, file.constData(),
                        CA_PROP_EVENT_DESCRIPTION,
                        hazard ? "Hazard at the bench" : "The bench calls", nullptr);
    });
}

}  // namespace nk
