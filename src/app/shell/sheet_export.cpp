#include "app/shell/sheet_export.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QPainter>
#include <QPdfWriter>
#include <QSaveFile>
#include <QSvgRenderer>
#include <QTextBlock>
#include <QTextDocument>

#include "app/theme/theme.h"
#include "report/sheet.h"

namespace nk {

Expected<void> writeSheet(const QString& path, const ShownRecording& shown,
                          const QString& batteryName, const QString& date) {
    SheetInput in;
    in.title = shown.title.toStdString();
    in.batteryName = batteryName.isEmpty() ? std::string("Battery") : batteryName.toStdString();
    in.source = shown.subtitle.toStdString();
    in.madeOn = date.toStdString();
    in.recording = shown.recording.get();
    in.analysis = &shown.analysis;
    const std::string svg = curveSvg(*shown.recording, shown.analysis.steps, 740, 380);
    QByteArray bytes;
    if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        {
            QPdfWriter writer(&buffer);
            writer.setPageSize(QPageSize(QPageSize::A4));
            writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout::Millimeter);
            writer.setResolution(144);
            writer.setTitle(QString::fromStdString(in.batteryName + " · " + in.title));
            QTextDocument document;
            QFont font(loadFonts());
            font.setPointSizeF(9);
            document.setDefaultFont(font);
            document.documentLayout()->setPaintDevice(&writer);
            const QRectF page(QPointF(0, 0), QSizeF(writer.width(), writer.height()));
            document.setPageSize(page.size());
            // The curve is drawn as vectors into the space that a blank picture keeps free.
            const QSizeF size(page.width() * 0.96, page.width() * 0.96 * 380 / 740);
            QImage blank(8, 8, QImage::Format_ARGB32);
            blank.fill(Qt::transparent);
            document.addResource(QTextDocument::ImageResource, QUrl("curve"), blank);
            document.setHtml(QString::fromStdString(
                benchSheetHtml(in, QString("<p><img src=\"curve\" width=\"%1\" height=\"%2\"></p>")
                                       .arg(size.width())
                                       .arg(size.height())
                                       .toStdString())));
            QRectF place;
            for (QTextBlock block = document.begin(); block.isValid(); block = block.next())
                for (auto it = block.begin(); !it.atEnd(); ++it)
                    if (it.fragment().charFormat().isImageFormat())
                        place = QRectF(
                            document.documentLayout()->blockBoundingRect(block).topLeft(), size);
            QPainter painter(&writer);
            const int pages = document.pageCount();
            for (int p = 0; p < pages; ++p) {
                if (p > 0) writer.newPage();
                painter.save();
                painter.translate(0, -p * page.height());
                document.drawContents(&painter,
                                      QRectF(0, p * page.height(), page.width(), page.height()));
                if (place.top() >= p * page.height() && place.top() < (p + 1) * page.height()) {
                    QSvgRenderer renderer(QByteArray::fromStdString(svg));
                    renderer.render(&painter, place);
                }
                painter.restore();
            }
        }
    } else {
        bytes = QByteArray::fromStdString(benchSheetHtml(in, svg));
    }
    QSaveFile file(path);
    if (!file.open(QIODevice::WriteOnly) || file.write(bytes) != bytes.size() || !file.commit())
        return fail(
            ErrorKind::Storage,
            "The bench sheet could not be written: " + file.errorString().toStdString() + ".",
            path.toStdString(), "a folder you may write to, with space left.");
    return {};
}

}  // namespace nk
