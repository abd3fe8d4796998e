#include "app/shell/sheet_export.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QPainter>
#include <QPdfWriter>
#include <QPrinter>
#include <QSvgRenderer>
#include <QTextBlock>
#include <QTextDocument>
#include <QTextLayout>
#include <functional>

#include "app/shell/data_export.h"
#include "app/theme/theme.h"
#include "report/battery_sheet.h"
#include "report/sheet.h"

namespace nk {

namespace {

/// A page of HTML whose picture is drawn as vectors into the space that a blank one keeps free.
struct Page {
    QString title;
    std::string svg;  ///< may be empty
    int width = 740, height = 380;
    std::function<std::string(const std::string& picture)> html;
};

Page pageOf(const ShownRecording& shown, const QString& batteryName, const QString& date) {
    SheetInput in;
    in.title = shown.title.toStdString();
    in.batteryName = batteryName.isEmpty() ? phrase("Battery") : batteryName.toStdString();
    in.source = shown.subtitle.toStdString();
    in.madeOn = date.toStdString();
    in.recording = shown.recording.get();
    in.analysis = &shown.analysis;
    in.style = currentStyle();
    Page page;
    page.title = QString::fromStdString(in.batteryName + " · " + in.title);
    page.svg = curveSvg(*shown.recording, shown.analysis.steps, page.width, page.height);
    page.html = [in](const std::string& picture) { return benchSheetHtml(in, picture); };
    return page;
}

Page pageOf(const BatterySheetInput& in) {
    Page page;
    page.title = QString::fromStdString(in.battery.name);
    page.height = 230;
    page.svg = capacitySvg(in, page.width, page.height);
    page.html = [&in](const std::string& picture) { return batterySheetHtml(in, picture); };
    return page;
}

/// Lays the page out on `device` and paints it, as many sheets of paper as it takes.
template <class Device>
void paint(const Page& page, Device& device) {
    QTextDocument document;
    QFont font(loadFonts());
    font.setPointSizeF(9);
    document.setDefaultFont(font);
    document.documentLayout()->setPaintDevice(&device);
    const QSizeF paper(device.width(), device.height());
    document.setPageSize(paper);
    QImage blank(8, 8, QImage::Format_ARGB32);
    blank.fill(Qt::transparent);
    document.addResource(QTextDocument::ImageResource, QUrl("curve"), blank);
    // Qt takes the sizes of pictures as those of a screen and makes them larger for paper.
    const double scale = device.logicalDpiY() / 96.0;
    const auto lay = [&](const QSizeF& size) {
        const std::string place =
            page.svg.empty() ? std::string()
                             : QString("<p><img src=\"curve\" width=\"%1\" height=\"%2\"></p>")
                                   .arg(size.width() / scale)
                                   .arg(size.height() / scale)
                                   .toStdString();
        document.setHtml(QString::fromStdString(page.html(place))
                             .replace("font-family:'Inter'", "font-family:'" + loadFonts() + "'"));
    };
    // Where the text begins and ends tells how wide the picture may be.
    lay(QSizeF(8, 8));
    const QTextLayout* first = document.begin().layout();
    const double left = first->position().x() + (first->lineCount() > 0 ? first->lineAt(0).x() : 0);
    const QSizeF size(paper.width() - 2 * left,
                      (paper.width() - 2 * left) * page.height / page.width);
    lay(size);
    QRectF picture;
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next())
        for (auto it = block.begin(); !it.atEnd(); ++it)
            if (it.fragment().charFormat().isImageFormat())
                picture = QRectF(
                    QPointF(left, document.documentLayout()->blockBoundingRect(block).top()), size);
    QPainter painter(&device);
    QSvgRenderer renderer(QByteArray::fromStdString(page.svg).replace(
        "font-family='Inter, sans-serif'", "font-family='" + loadFonts().toUtf8() + "'"));
    for (int p = 0; p < document.pageCount(); ++p) {
        if (p > 0) device.newPage();
        const QRectF sheet(QPointF(0, p * paper.height()), paper);
        painter.save();
        painter.translate(0, -sheet.top());
        document.drawContents(&painter, sheet);
        if (!page.svg.empty() && picture.top() >= sheet.top() && picture.top() < sheet.bottom())
            renderer.render(&painter, picture);
        painter.restore();
    }
}

Expected<void> write(const QString& path, const Page& page) {
    QByteArray bytes;
    if (path.endsWith(".pdf", Qt::CaseInsensitive)) {
        QBuffer buffer(&bytes);
        buffer.open(QIODevice::WriteOnly);
        QPdfWriter writer(&buffer);
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout::Millimeter);
        writer.setResolution(144);
        writer.setTitle(page.title);
        paint(page, writer);
    } else {
        bytes = QByteArray::fromStdString(page.html(page.svg));
    }
    return writeWhole(path, bytes);
}

}  // namespace

Expected<void> writeSheet(const QString& path, const ShownRecording& shown,
                          const QString& batteryName, const QString& date) {
    return write(path, pageOf(shown, batteryName, date));
}

Expected<void> writeSheet(const QString& path, const BatterySheetInput& in) {
    return write(path, pageOf(in));
}

Expected<void> writeSheet(const QString& path, const SideSheetInput& side, const QByteArray& svg,
                          const QSize& size) {
    Page page;
    page.title = QString::fromStdString(side.title);
    // Inside a page of HTML a picture has no heading of its own.
    const qsizetype begin = svg.indexOf("<svg");
    page.svg = begin < 0 ? std::string() : svg.mid(begin).toStdString();
    page.width = std::max(1, size.width());
    page.height = std::max(1, size.height());
    page.html = [&side](const std::string& picture) { return sideSheetHtml(side, picture); };
    return write(path, page);
}

void printSheet(QPrinter& printer, const ShownRecording& shown, const QString& batteryName,
                const QString& date) {
    const Page page = pageOf(shown, batteryName, date);
    printer.setDocName(page.title);
    paint(page, printer);
}

}  // namespace nk
