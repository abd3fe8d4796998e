#include "app/shelf/battery_block.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QPushButton>
#include <QStyle>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "analysis/analysis.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "history/summary.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

/// A recording's line: its title, cut where there is no room, and what it gave or its hazard. One
/// widget and no style sheet of its own: a shelf has hundreds.
class RecordingRow : public QPushButton {
  public:
    RecordingRow(const RecordingEntry& r, QWidget* parent)
        : QPushButton(parent),
          id(r.id),
          title_(QString::fromStdString(r.title)),
          hazard_(r.summary.hazard) {
        setObjectName(QString("recording-%1").arg(r.id));
        setProperty("role", "row");
        setCheckable(true);
        setMinimumHeight(26);
        setContextMenuPolicy(Qt::CustomContextMenu);
        if (hazard_)
            value_ = tr("hazard");
        else if (std::isfinite(r.summary.capacity_Ah))
            value_ = QString::fromStdString(shortValue(r.summary.capacity_Ah, "Ah"));
        if (r.outOfDate) value_ = value_.isEmpty() ? QString("…") : value_ + " …";
        QString tip =
            title_ + "\n" +
            tr("from %1, %2 rows").arg(QString::fromStdString(r.fileName)).arg(r.rowsRead);
        if (const std::string at = conditionsWords(r.summary); !at.empty())
            tip += "\n" + tr("gave %1 at %2")
                              .arg(QString::fromStdString(shortValue(r.summary.capacity_Ah, "Ah")),
                                   QString::fromStdString(at));
        if (r.outOfDate) tip += "\n" + tr("Its figures are being computed anew.");
        setToolTip(tip);
        setAccessibleName(tip);
    }

    const std::int64_t id;

  protected:
    void paintEvent(QPaintEvent* event) override {
        QPushButton::paintEvent(event);  // its background and focus; it has no text
        const Theme& t = currentTheme();
        QPainter p(this);
        QFont plain = font();
        plain.setPixelSize(12);
        plain.setWeight(QFont::Normal);
        QFont strong = plain;
        strong.setWeight(QFont::DemiBold);
        const QRect inside = rect().adjusted(8, 0, -4, 0);
        p.setFont(hazard_ ? strong : plain);
        p.setPen(hazard_ ? t.hazard : t.muted);
        p.drawText(inside, Qt::AlignVCenter | Qt::AlignRight, value_);
        const int taken = value_.isEmpty() ? 0 : p.fontMetrics().horizontalAdvance(value_) + 6;
        p.setFont(isChecked() ? strong : plain);
        p.setPen(t.text);
        const QRect left = inside.adjusted(0, 0, -taken, 0);
        p.drawText(left, Qt::AlignVCenter | Qt::AlignLeft,
                   p.fontMetrics().elidedText(title_, Qt::ElideRight, left.width()));
    }

  private:
    QString title_, value_;
    bool hazard_;
};

namespace {

/// Last capacity as a small bar against the rated one.
class CapacityBar : public QWidget {
  public:
    CapacityBar(double fraction, QWidget* parent) : QWidget(parent), fraction_(fraction) {
        setFixedSize(56, 6);
    }

  protected:
    void paintEvent(QPaintEvent*) override {
        const Theme& t = currentTheme();
        QPainter p(this);
        p.setRenderHint(QPainter::Antialiasing);
        p.setPen(Qt::NoPen);
        p.setBrush(t.line);
        p.drawRoundedRect(rect(), 3, 3);
        p.setBrush(fraction_ < 0.8 ? t.current : t.accent);
        p.drawRoundedRect(
            QRectF(0, 0, std::max(3.0, width() * std::clamp(fraction_, 0.0, 1.0)), height()), 3, 3);
    }

  private:
    double fraction_;
};

QString kindOf(const Battery& battery) {
    const Chemistry* c = battery.chemistryData();
    QString kind =
        c != nullptr ? QString::fromStdString(c->name()) : BatteryBlock::tr("chemistry?");
    if (battery.series > 0) kind += QString(" %1S").arg(battery.series);
    if (battery.parallel > 1) kind += QString("%1P").arg(battery.parallel);
    return kind + (battery.rated_Ah > 0
                       ? " · " + QString::fromStdString(shortValue(battery.rated_Ah, "Ah"))
                       : BatteryBlock::tr(" · rated?"));
}

}  // namespace

// cppcheck-suppress passedByValue
BatteryBlock::BatteryBlock(const BatteryEntry* entry, std::vector<const RecordingEntry*> recordings,
                           std::size_t shown, bool outOfUse, QWidget* parent,
                           const KeptStanding* standing)
    : QFrame(parent), id_(entry != nullptr ? entry->id : 0) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(8, 6, 8, 8);
    box->setSpacing(2);
    addHead(entry);
    if (outOfUse) {
        auto* word = new QLabel(tr("out of use"), this);
        word->setObjectName(QString("out-of-use-%1").arg(id_));
        word->setProperty("role", "hazard");
        word->setContentsMargins(3, 0, 0, 0);
        box->addWidget(word);
    }
    if (entry != nullptr) addState(entry, recordings, standing);
    shown = std::min(shown, recordings.size());
    for (std::size_t k = 0; k < shown; ++k) addRow(*recordings[k]);
    if (shown < recordings.size()) {
        const std::size_t left = recordings.size() - shown;
        auto* more =
            new QPushButton(tr("Show %1 of %2 older").arg(std::min(left, kBatch)).arg(left), this);
        more->setObjectName(QString("more-%1").arg(id_));
        more->setProperty("role", "link");
        connect(more, &QPushButton::clicked, this, &BatteryBlock::moreRequested);
        box->addWidget(more);
    }
}

void BatteryBlock::addHead(const BatteryEntry* entry) {
    auto* name = new QPushButton(
        entry != nullptr ? QString::fromStdString(entry->battery.name) : tr("Without a battery"),
        this);
    name->setProperty("role", "battery");
    name->setObjectName(QString("battery-%1").arg(id_));
    name->setEnabled(entry != nullptr);
    name->setToolTip(tr("Open the battery: verdict, history, card"));
    name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    name->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(name, &QPushButton::clicked, this, [this] { Q_EMIT batteryChosen(id_); });
    connect(name, &QWidget::customContextMenuRequested, this, [this, name](const QPoint& p) {
        Q_EMIT batteryMenuRequested(id_, name->mapToGlobal(p));
    });
    layout()->addWidget(name);
    if (entry == nullptr) return;
    auto* kind = new NameLabel(kindOf(entry->battery), this);
    kind->setProperty("role", "small");
    kind->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    kind->setToolTip(kind->text());
    kind->setContentsMargins(3, 0, 0, 0);
    layout()->addWidget(kind);
}

void BatteryBlock::addState(const BatteryEntry* entry,
                            const std::vector<const RecordingEntry*>& recordings,
                            const KeptStanding* standing) {
    // What it holds is its standing's word; without one the block says what was last taken out.
    const bool holds = standing != nullptr && std::isfinite(standing->capacity_Ah);
    const bool met = standing != nullptr && std::isfinite(standing->resistance_ohm);
    const auto newest = std::ranges::find_if(
        recordings, [](const RecordingEntry* r) { return std::isfinite(r->summary.capacity_Ah); });
    const RecordingSummary* gave =
        holds || newest == recordings.end() ? nullptr : &(*newest)->summary;
    if (!holds && gave == nullptr && !met) return;
    auto* line = new QHBoxLayout;
    line->setContentsMargins(3, 1, 0, 2);
    line->setSpacing(8);
    QString words;
    QString at;  // conditions of the charge
    QStringList figures;
    if (holds) {
        const QString charge = QString::fromStdString(shortValue(standing->capacity_Ah, "Ah"));
        figures << charge;
        at = QString::fromStdString(conditionsWords(*standing));
        words = tr("Holds %1, measured %2.").arg(charge, at);
        if (entry->battery.rated_Ah > 0) {
            words = tr("Holds %1 of %2 rated, measured %3.")
                        .arg(charge,
                             QString::fromStdString(shortValue(entry->battery.rated_Ah, "Ah")), at);
            auto* bar = new CapacityBar(standing->capacity_Ah / entry->battery.rated_Ah, this);
            bar->setToolTip(words);
            line->addWidget(bar, 0, Qt::AlignVCenter);
        }
    } else if (gave != nullptr) {
        const QString charge = QString::fromStdString(shortValue(gave->capacity_Ah, "Ah"));
        figures << charge;
        at = QString::fromStdString(conditionsWords(*gave));
        words = tr("Last gave %1 at %2.").arg(charge, at);
    }
    if (met) {
        const QString ohms = QString::fromStdString(shortValue(standing->resistance_ohm, "ohm"));
        figures << ohms;
        const Metric* kind = findMetric(standing->resistanceSchool);
        words +=
            (words.isEmpty() ? "" : "\n") +
            QString("%1: %2.").arg(
                kind != nullptr ? QString::fromStdString(phrase(kind->title)) : tr("Resistance"),
                ohms);
    }
    auto* text = new QLabel(figures.join(" · "), this);
    text->setProperty("role", "figures");
    text->setToolTip(words);
    text->setAccessibleName(words);
    text->setAlignment(Qt::AlignVCenter | Qt::AlignRight);
    text->setContentsMargins(0, 0, 4, 0);  // under one edge with the rows
    line->addWidget(text, 1, Qt::AlignVCenter);
    static_cast<QVBoxLayout*>(layout())->addLayout(line);
    if (at.isEmpty()) return;
    auto* how = new NameLabel(tr("at %1").arg(QString::fromStdString(
                                  holds ? conditionsShort(*standing) : conditionsShort(*gave))),
                              this);
    how->setObjectName(QString("conditions-%1").arg(id_));
    how->setProperty("role", "small");
    how->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    how->setAlignment(Qt::AlignRight);
    how->setToolTip(words);
    how->setContentsMargins(3, 0, 4, 0);
    layout()->addWidget(how);
}

void BatteryBlock::addRow(const RecordingEntry& recording) {
    auto* row = new RecordingRow(recording, this);
    connect(row, &QPushButton::clicked, this, [this, row] {
        row->setChecked(true);  // a second click does not unmark it
        Q_EMIT recordingChosen(row->id);
    });
    connect(row, &QWidget::customContextMenuRequested, this, [this, row](const QPoint& p) {
        Q_EMIT recordingMenuRequested(row->id, row->mapToGlobal(p));
    });
    layout()->addWidget(row);
    rows_.push_back(row);
}

bool BatteryBlock::select(std::int64_t recordingId) {
    bool mine = false;
    for (RecordingRow* row : rows_) {
        row->setChecked(row->id == recordingId);
        mine = mine || row->isChecked();
    }
    const bool was = property("role").toString() == "card";
    if (mine != was) {
        setProperty("role", mine ? QVariant("card") : QVariant());
        style()->unpolish(this);
        style()->polish(this);
    }
    return mine;
}

}  // namespace nk
