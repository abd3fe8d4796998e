#include "app/bench/simulator.h"

#include <QCoreApplication>
#include <QDir>
#include <QFileInfo>
#include <QStandardPaths>

namespace nk {

namespace {

/// Beside this program, as it is installed or built, else on the path.
QString simulatorProgram() {
    const QString here = QCoreApplication::applicationDirPath();
    for (const QString& place : {here + "/narrow-knee-sim", here + "/../narrow-knee-sim",
                                 here + "/../src/narrow-knee-sim", here + "/src/narrow-knee-sim"})
        if (QFileInfo(place).isExecutable()) return QDir::cleanPath(place);
    return QStandardPaths::findExecutable("narrow-knee-sim");
}

}  // namespace

Simulator::~Simulator() {
    process_.disconnect();
    process_.terminate();
    if (!process_.waitForFinished(500)) process_.kill();
    process_.waitForFinished(500);
}

void Simulator::start(double speed, int channels) {
    const QString program = simulatorProgram();
    if (program.isEmpty()) {
        Q_EMIT failed(tr("narrow-knee-sim is not beside this program."));
        return;
    }
    process_.setProgram(program);
    process_.setArguments(
        {"--speed", QString::number(speed), "--terminals", QString::number(channels)});
    process_.setProcessChannelMode(QProcess::SeparateChannels);
    connect(&process_, &QProcess::readyReadStandardOutput, this, [this, channels] {
        heard_ += process_.readAllStandardOutput();
        if (heard_.count('\n') < channels) return;
        process_.disconnect(this);
        QStringList terminals;
        for (const QByteArray& name : heard_.split('\n').first(channels))
            terminals << QString::fromLocal8Bit(name).trimmed();
        heard_.clear();
        for (const QString& t : terminals)
            if (!t.startsWith('/')) {
                Q_EMIT failed(tr("The simulated instrument could not be started."));
                return;
            }
        Q_EMIT ready(terminals);
    });
    connect(&process_, &QProcess::errorOccurred, this, [this](QProcess::ProcessError) {
        Q_EMIT failed(tr("The simulated instrument could not be started."));
    });
    process_.start();
}

}  // namespace nk
