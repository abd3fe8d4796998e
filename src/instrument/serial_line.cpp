#include "serial_line.h"

#include <QCoreApplication>
#include <QSerialPort>

namespace nk {

struct SerialLine::Port {
    QSerialPort line;
    bool lost = false;
};

SerialLine::SerialLine(std::unique_ptr<Port> port) : port_(std::move(port)) {}
SerialLine::~SerialLine() = default;

Expected<std::unique_ptr<SerialLine>> SerialLine::open(const std::string& path, int baud) {
    // Outside the window nobody has made one; the port looks for it.
    static int none = 0;
    static const std::unique_ptr<QCoreApplication> own(
        QCoreApplication::instance() == nullptr ? new QCoreApplication(none, nullptr) : nullptr);
    auto port = std::make_unique<Port>();
    port->line.setPortName(QString::fromStdString(path));
    port->line.setBaudRate(baud);
    if (!port->line.open(QIODevice::ReadWrite))
        return fail(ErrorKind::Unreadable,
                    "The line cannot be opened: " + port->line.errorString().toStdString() + ".",
                    path,
                    "a serial device that is there, free, and yours to read (group dialout).");
    return std::unique_ptr<SerialLine>(new SerialLine(std::move(port)));
}

std::string SerialLine::read(int wait_ms) {
    QSerialPort& line = port_->line;
    if (line.bytesAvailable() == 0 && !line.waitForReadyRead(wait_ms)) {
        const auto error = line.error();
        if (error != QSerialPort::NoError && error != QSerialPort::TimeoutError) port_->lost = true;
        line.clearError();
    }
    return line.readAll().toStdString();
}

bool SerialLine::write(const std::string& bytes) {
    QSerialPort& line = port_->line;
    if (line.write(bytes.data(), static_cast<qint64>(bytes.size())) < 0) return false;
    while (line.bytesToWrite() > 0)
        if (!line.waitForBytesWritten(500)) return false;
    return true;
}

bool SerialLine::alive() const {
    return !port_->lost;
}

}  // namespace nk
