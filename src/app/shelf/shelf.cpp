#include "app/shelf/shelf.h"

#include <QDateTime>
#include <QFrame>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPainter>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/theme/theme.h"
#include "quantity/format.h"

namespace nk {

namespace {

/// Last capacity as a small bar against the rated one.
class CapacityBar : public QWidget {
  public:
    CapacityBar(double fraction, QWidget* parent) : QWidget(parent), fraction_(fraction) {
        setFixedSize(46, 6);
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

/// A label that ends in an ellipsis where there is no room.
class ElidedLabel : public QLabel {
  public:
    using QLabel::QLabel;

  protected:
    void paintEvent(QPaintEvent*) override {
        QPainter p(this);
        p.setPen(palette().color(foregroundRole()));
        p.drawText(contentsRect(), static_cast<int>(Qt::AlignVCenter | Qt::AlignLeft),
                   fontMetrics().elidedText(text(), Qt::ElideRight, contentsRect().width()));
    }
};

double orderOf(const RecordingEntry& r) {
    return std::isfinite(r.startEpoch_s) ? r.startEpoch_s : r.importedAt_s;
}

}  // namespace

Shelf::Shelf(QWidget* parent) : QWidget(parent) {
    setObjectName("shelf");
    setAttribute(Qt::WA_StyledBackground);
    setFixedWidth(232);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(12, 12, 8, 12);
    box->setSpacing(8);
    search_ = new QLineEdit(this);
    search_->setObjectName("search");
    search_->setPlaceholderText(tr("Find a battery or log"));
    search_->setAccessibleName(tr("Find a battery or log"));
    search_->setClearButtonEnabled(true);
    auto* searchRow = new QHBoxLayout;
    searchRow->setContentsMargins(0, 0, 4, 0);
    searchRow->addWidget(search_);
    box->addLayout(searchRow);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll->setFocusPolicy(Qt::NoFocus);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    list_ = new QVBoxLayout(body);
    list_->setContentsMargins(0, 0, 4, 0);
    list_->setSpacing(6);
    list_->addStretch(1);
    scroll->setWidget(body);
    box->addWidget(scroll, 1);
    auto* add = new QPushButton(tr("Add a log…"), this);
    add->setObjectName("add");
    add->setProperty("role", "primary");
    add->setToolTip(tr("Open log files (Ctrl+O). You can also drop them anywhere on the window."));
    auto* addRow = new QHBoxLayout;
    addRow->setContentsMargins(0, 0, 4, 0);
    addRow->addWidget(add);
    box->addLayout(addRow);
    connect(add, &QPushButton::clicked, this, &Shelf::addRequested);
    connect(search_, &QLineEdit::textChanged, this, &Shelf::rebuild);
}

void Shelf::setContents(std::vector<BatteryEntry> batteries,
                        std::vector<RecordingEntry> recordings) {
    batteries_ = std::move(batteries);
    recordings_ = std::move(recordings);
    std::stable_sort(recordings_.begin(), recordings_.end(),
                     [](const auto& a, const auto& b) { return orderOf(a) > orderOf(b); });
    rebuild();
}

void Shelf::select(std::int64_t recordingId) {
    if (selected_ == recordingId) return;
    selected_ = recordingId;
    rebuild();
}

void Shelf::rebuild() {
    for (QWidget* row : rows_) {
        list_->removeWidget(row);
        row->hide();
        row->deleteLater();
    }
    rows_.clear();
    const QString wanted = search_->text().trimmed();
    const auto matches = [&](const std::string& text) {
        return wanted.isEmpty() ||
               QString::fromStdString(text).contains(wanted, Qt::CaseInsensitive);
    };
    int place = 0;
    const auto addBattery = [&](std::int64_t id, const Battery& battery, bool real) {
        std::vector<const RecordingEntry*> mine;
        const bool nameMatches = matches(battery.name);
        for (const RecordingEntry& r : recordings_)
            if (r.batteryId == id && (nameMatches || matches(r.title))) mine.push_back(&r);
        if ((!real && mine.empty()) || (!nameMatches && mine.empty())) return;
        const bool open = std::any_of(mine.begin(), mine.end(),
                                      [&](const RecordingEntry* r) { return r->id == selected_; });
        auto* frame = new QFrame(list_->parentWidget());
        if (open) frame->setProperty("role", "card");
        auto* box = new QVBoxLayout(frame);
        box->setContentsMargins(8, 6, 8, 8);
        box->setSpacing(2);
        const RecordingEntry* latest = nullptr;
        for (const RecordingEntry* r : mine)
            if (latest == nullptr && std::isfinite(r->summary.capacity_Ah)) latest = r;
        auto* head = new QHBoxLayout;
        auto* name = new QPushButton(QString::fromStdString(battery.name), frame);
        name->setProperty("role", "link");
        name->setObjectName(QString("battery-%1").arg(id));
        name->setStyleSheet(QString("QPushButton{color:%1;font-weight:600;padding:1px 2px;}")
                                .arg(currentTheme().text.name()));
        name->setEnabled(real);
        name->setToolTip(tr("Edit the battery card"));
        connect(name, &QPushButton::clicked, this, [this, id] { Q_EMIT batteryEditRequested(id); });
        name->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
        head->addWidget(name, 1);
        if (latest != nullptr)
            head->addWidget(new QLabel(
                QString::fromStdString(shortValue(latest->summary.capacity_Ah, "Ah")), frame));
        box->addLayout(head);
        if (real) {
            auto* second = new QHBoxLayout;
            const Chemistry* c = battery.chemistryData();
            QString kind = c != nullptr ? QString::fromStdString(c->label) : tr("chemistry?");
            if (battery.series > 0) kind += QString(" %1S").arg(battery.series);
            if (battery.parallel > 1) kind += QString("%1P").arg(battery.parallel);
            kind += battery.rated_Ah > 0
                        ? " · " + QString::fromStdString(shortValue(battery.rated_Ah, "Ah"))
                        : tr(" · rated?");
            auto* label = new ElidedLabel(kind, frame);
            label->setProperty("role", "muted");
            label->setStyleSheet("font-size:12px;padding-left:2px;");
            label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
            label->setToolTip(kind);
            second->addWidget(label, 1);
            // A bar only for a whole discharge: what was taken out in part is no state of health.
            if (latest != nullptr && battery.rated_Ah > 0 &&
                std::isfinite(latest->summary.health_percent)) {
                auto* bar = new CapacityBar(latest->summary.capacity_Ah / battery.rated_Ah, frame);
                const QString words =
                    tr("Last gave %1 of %2 rated, at %3")
                        .arg(QString::fromStdString(shortValue(latest->summary.capacity_Ah, "Ah")),
                             QString::fromStdString(shortValue(battery.rated_Ah, "Ah")),
                             QString::fromStdString(latest->summary.conditions));
                bar->setToolTip(words);
                bar->setAccessibleName(words);
                second->addWidget(bar, 0, Qt::AlignVCenter);
            }
            box->addLayout(second);
        }
        for (const RecordingEntry* r : mine) {
            auto* row = new QPushButton(frame);
            row->setObjectName(QString("recording-%1").arg(r->id));
            row->setProperty("role", "row");
            row->setCheckable(true);
            row->setChecked(r->id == selected_);
            row->setContextMenuPolicy(Qt::CustomContextMenu);
            auto* line = new QHBoxLayout(row);
            line->setContentsMargins(8, 2, 4, 2);
            auto* title = new ElidedLabel(QString::fromStdString(r->title), row);
            title->setStyleSheet(
                QString("font-size:12px;%1").arg(r->id == selected_ ? "font-weight:600;" : ""));
            title->setTextFormat(Qt::PlainText);
            title->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
            line->addWidget(title, 1);
            QString right;
            if (r->summary.hazard)
                right = tr("hazard");
            else if (std::isfinite(r->summary.capacity_Ah))
                right = QString::fromStdString(shortValue(r->summary.capacity_Ah, "Ah"));
            auto* value = new QLabel(right, row);
            value->setStyleSheet(QString("font-size:12px;color:%1;%2")
                                     .arg(r->summary.hazard ? currentTheme().hazard.name()
                                                            : currentTheme().muted.name(),
                                          r->summary.hazard ? "font-weight:600;" : ""));
            line->addWidget(value);
            row->setMinimumHeight(26);
            QString tip =
                QString::fromStdString(r->title) + "\n" +
                tr("from %1, %2 rows").arg(QString::fromStdString(r->fileName)).arg(r->rowsRead);
            if (!r->summary.conditions.empty())
                tip += "\n" +
                       tr("gave %1 at %2")
                           .arg(QString::fromStdString(shortValue(r->summary.capacity_Ah, "Ah")),
                                QString::fromStdString(r->summary.conditions));
            row->setToolTip(tip);
            row->setAccessibleName(tip);
            const std::int64_t recording = r->id;
            connect(row, &QPushButton::clicked, this,
                    [this, recording] { Q_EMIT recordingChosen(recording); });
            connect(row, &QWidget::customContextMenuRequested, this,
                    [this, recording, row](const QPoint& p) {
                        Q_EMIT recordingMenuRequested(recording, row->mapToGlobal(p));
                    });
            box->addWidget(row);
        }
        list_->insertWidget(place++, frame);
        rows_.push_back(frame);
    };
    for (const BatteryEntry& e : batteries_) addBattery(e.id, e.battery, true);
    Battery none;
    none.name = tr("Without a battery").toStdString();
    addBattery(0, none, false);
}

}  // namespace nk
