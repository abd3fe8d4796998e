#include "app/life/label_sheet.h"

#include <QBuffer>
#include <QObject>
#include <QPainter>
#include <QPdfWriter>
#include <algorithm>

#include "analysis/analysis.h"
#include "app/shell/data_export.h"
#include "app/theme/theme.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/words.h"

namespace nk {

namespace {

constexpr double kPaperWidth_mm = 210, kPaperHeight_mm = 297;
constexpr int kDotsPerInch = 600;
constexpr double kInch_mm = 25.4;

double dots(double mm) {
    return mm / kInch_mm * kDotsPerInch;
}

/// One line, in letters as large as `height` allows and small enough for the width.
void line(QPainter& p, const QRectF& place, const QString& words, bool strong) {
    QFont font(loadFonts());
    font.setWeight(strong ? QFont::DemiBold : QFont::Normal);
    font.setPixelSize(std::max(1, static_cast<int>(place.height() * 0.78)));
    const double width = QFontMetricsF(font).horizontalAdvance(words);
    if (width > place.width())
        font.setPixelSize(std::max(
            1, static_cast<int>(font.pixelSize() * std::max(0.62, place.width() / width))));
    p.setFont(font);
    p.drawText(place, Qt::AlignVCenter | Qt::AlignLeft,
               QFontMetricsF(font).elidedText(words, Qt::ElideRight, place.width()));
}

}  // namespace

QRectF LabelSheet::place_mm(int k) const {
    const int here = k % perPage();
    return {left_mm + (here % columns) * (width_mm + gapAcross_mm),
            top_mm + (here / columns) * (height_mm + gapDown_mm), width_mm, height_mm};
}

Expected<void> LabelSheet::check() const {
    const auto wrong = [](const QString& what, const QString& accepted) -> Expected<void> {
        return fail(ErrorKind::InvalidArgument, what.toStdString(), "A4", accepted.toStdString());
    };
    if (columns < 1 || rows < 1 || columns > 20 || rows > 50)
        return wrong(QObject::tr("This is no grid of labels."),
                     QObject::tr("1 to 20 columns, 1 to 50 rows."));
    if (!(width_mm >= 15) || !(height_mm >= 8))
        return wrong(QObject::tr("The labels are too small to be read."),
                     QObject::tr("15 × 8 mm and more."));
    const QRectF last = place_mm(perPage() - 1);
    if (!(left_mm >= 0) || !(top_mm >= 0) || !(gapAcross_mm >= 0) || !(gapDown_mm >= 0) ||
        last.right() > kPaperWidth_mm + 0.05 || last.bottom() > kPaperHeight_mm + 0.05)
        return wrong(QObject::tr("The labels leave the paper."),
                     QObject::tr("a grid within 210 × 297 mm."));
    return {};
}

LabelText labelText(const BatteryHistory& history, const Verdict& verdict, const QString& day) {
    LabelText out;
    const Battery& b = history.battery.battery;
    out.name = QString::fromStdString(b.name);
    out.day = day;
    out.verdict = QString::fromStdString(verdictWords(verdict.verdict));
    const HistoryPoint* capacity = nullptr;
    const HistoryPoint* resistance = nullptr;
    for (const HistoryPoint& p : history.points) {
        if (p.reading.name == "delivered_capacity" && (p.byHand() || p.reading.quoted))
            capacity = &p;
        if (p.reading.name.starts_with("resistance_") && (p.byHand() || p.reading.quoted))
            resistance = &p;
    }
    if (capacity != nullptr) {
        const double c = capacity->reading.conditions.cRate;
        out.capacity = QString::fromStdString(shortValue(capacity->reading.value, "Ah"));
        out.capacity +=
            std::isfinite(c)
                ? " " + QObject::tr("at %1").arg(QString::fromStdString(phrase("{:.2g}C", c)))
                : QString();
    }
    if (resistance != nullptr) {
        const Metric* m = findMetric(resistance->reading.name);
        out.resistance = QString::fromStdString(shortValue(resistance->reading.value, "ohm")) +
                         " · " +
                         (m != nullptr ? QString::fromStdString(phrase(m->title))
                                       : QString::fromStdString(resistance->reading.method));
    }
    return out;
}

Expected<void> writeLabels(const QString& path, const std::vector<LabelText>& labels,
                           const LabelSheet& sheet, int first, bool outlines) {
    if (auto ok = sheet.check(); !ok) return ok;
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    QPdfWriter writer(&buffer);
    writer.setPageSize(QPageSize(QPageSize::A4));
    writer.setPageMargins(QMarginsF(0, 0, 0, 0), QPageLayout::Millimeter);
    writer.setResolution(kDotsPerInch);
    writer.setTitle(QObject::tr("Labels"));
    QPainter p(&writer);
    int k = std::clamp(first, 0, sheet.perPage() - 1);
    for (const LabelText& label : labels) {
        if (k > 0 && k % sheet.perPage() == 0) writer.newPage();
        const QRectF mm = sheet.place_mm(k++);
        const QRectF place(dots(mm.x()), dots(mm.y()), dots(mm.width()), dots(mm.height()));
        if (outlines) {
            p.setPen(QPen(Qt::lightGray, dots(0.1)));
            p.drawRect(place);
        }
        p.setPen(Qt::black);
        // Printers slip by a millimetre: nothing stands nearer to the edge than two.
        const double edge = dots(std::min(3.0, 0.1 * mm.height() + 1));
        const QRectF inside = place.adjusted(edge, edge, -edge, -edge);
        const QString lines[] = {label.name, label.capacity, label.resistance,
                                 label.verdict + " · " + label.day};
        const double step = inside.height() / 4;
        for (int n = 0; n < 4; ++n)
            line(p, QRectF(inside.left(), inside.top() + step * n, inside.width(), step), lines[n],
                 n == 0);
    }
    p.end();
    return writeWhole(path, bytes);
}

}  // namespace nk
