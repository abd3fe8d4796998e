// The simulated instrument as a program of its own beside this one, a terminal a channel.
#pragma once

#include <QObject>
#include <QProcess>
#include <QStringList>

namespace nk {

class Simulator : public QObject {
    Q_OBJECT
  public:
    explicit Simulator(QObject* parent = nullptr) : QObject(parent) {}
    ~Simulator() override;

    /// `speed` times real time; ready() or failed() follows.
    void start(double speed, int channels);

  Q_SIGNALS:
    /// The terminals, one a channel: a serial line has one reader.
    void ready(const QStringList& terminals);
    void failed(const QString& why);

  private:
    QProcess process_;
    QByteArray heard_;
};

}  // namespace nk
