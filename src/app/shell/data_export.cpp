#include "app/shell/data_export.h"

#include <fmt/format.h>

#include <QBuffer>
#include <QPainter>
#include <QPdfWriter>
#include <QSaveFile>
#include <QSvgGenerator>

#include "app/plot/lanes_plot.h"
#include "quantity/format.h"
#include "report/analysis_json.h"
#include "report/export.h"
#include "report/words.h"

namespace nk {

Expected<void> writeWhole(const QString& path, const QByteArray& bytes) {
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size() || !file.commit())
        return fail(ErrorKind::Storage,
                    "The file could not be written: " + file.errorString().toStdString() + ".",
                    path.toStdString(), "a folder you may write to, with room.");
    return {};
}

QByteArray curveSvgBytes(QCustomPlot& plot) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QSvgGenerator writer;
    writer.setOutputDevice(&buffer);
    writer.setSize(plot.size());
    writer.setViewBox(QRect(QPoint(), plot.size()));
    QCPPainter painter(&writer);
    painter.setMode(QCPPainter::pmVectorized);
    plot.toPainter(&painter, plot.width(), plot.height());
    painter.end();
    return bytes;
}

Expected<void> writeCurve(const QString& path, QCustomPlot& plot) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    const QSize size = plot.size();
    if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QPdfWriter writer(&buffer);
        writer.setPageSize(QPageSize(QSizeF(size) * 0.75, QPageSize::Point));
        writer.setPageMargins(QMarginsF());
        writer.setResolution(96);
        QCPPainter painter(&writer);
        painter.setMode(QCPPainter::pmVectorized);
        plot.toPainter(&painter, size.width(), size.height());
    } else if (path.endsWith(".svg", Qt::CaseInsensitive)) {
        bytes = curveSvgBytes(plot);
    } else {
        plot.toPixmap(size.width(), size.height(), 2.0).save(&buffer, "PNG");
    }
    return writeWhole(path, bytes);
}

Expected<void> writeData(const QString& path, const ShownRecording& shown) {
    const QString name = path.toLower();
    const std::string text = name.endsWith(".steps.csv")       ? stepsCsv(shown.analysis)
                             : name.endsWith(".readings.csv")  ? readingsCsv(shown.analysis)
                             : name.endsWith(".steps.json")    ? stepsJson(shown.analysis)
                             : name.endsWith(".readings.json") ? readingsJson(shown.analysis)
                             : name.endsWith(".json")          ? samplesJson(*shown.recording)
                                                               : samplesCsv(*shown.recording);
    return writeWhole(path, QByteArray::fromStdString(text));
}

QString stepsTable(const ShownRecording& shown) {
    std::string out = tsvRow({"Step", "From", "To", "Charge Ah", "Energy Wh", "Mean A", "Ended"});
    for (const Step& s : shown.analysis.steps.list)
        out +=
            tsvRow({kindWords(s), clockText(s.start_s), clockText(s.end_s),
                    fmt::format("{:.6f}", s.sum.charge_Ah), fmt::format("{:.6f}", s.sum.energy_Wh),
                    fmt::format("{:.6f}", s.meanCurrent_A), endingWords(s.endedBy)});
    return QString::fromStdString(out);
}

}  // namespace nk
