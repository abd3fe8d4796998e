#include "app/finish/meter_check_dialog.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>
#include <cmath>

#include "app/theme/word_label.h"
#include "formats/time_text.h"
#include "quantity/format.h"
#include "quantity/units.h"

namespace nk {

namespace {
enum Column { kMoment, kPlace, kMeter, kLog, kColumns };
}

MeterCheckDialog::MeterCheckDialog(RecordingPtr recording, const std::vector<double>& moments,
                                   QWidget* parent)
    : QDialog(parent), recording_(std::move(recording)) {
    setObjectName("meterCheckDialog");
    setWindowTitle(tr("Meter check"));
    resize(680, 420);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(18, 16, 18, 16);
    box->setSpacing(10);
    auto* intro = new QLabel(
        tr("Write down what an independent meter showed, and when. One reading at rest tells the "
           "logger's offset; one at the battery's terminals while current flows tells the "
           "resistance of the leads between."),
        this);
    intro->setWordWrap(true);
    box->addWidget(intro);
    table_ = new QTableWidget(0, kColumns, this);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setObjectName("meterReadings");
    table_->setAccessibleName(tr("Meter readings"));
    table_->setHorizontalHeaderLabels(
        {tr("Moment (h:mm:ss)"), tr("Meter stood at"), tr("Meter"), tr("The log says")});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(QHeaderView::Stretch);
    // The choice is never cut.
    table_->horizontalHeader()->setSectionResizeMode(kPlace, QHeaderView::ResizeToContents);
    table_->verticalHeader()->setDefaultSectionSize(34);
    box->addWidget(table_, 1);
    words_ = wordLabel(this, "meterWords");
    words_->setMinimumHeight(64);
    box->addWidget(words_);
    auto* row = new QHBoxLayout;
    auto* more = new QPushButton(tr("Another reading"), this);
    more->setObjectName("moreReadings");
    more->setProperty("role", "link");
    row->addWidget(more);
    row->addStretch(1);
    auto* cancel = new QPushButton(tr("Close"), this);
    apply_ = new QPushButton(tr("Correct the recording"), this);
    apply_->setObjectName("applyCorrection");
    apply_->setProperty("role", "primary");
    apply_->setToolTip(tr("The logged samples are kept; the correction can be taken away again"));
    row->addWidget(cancel);
    row->addWidget(apply_);
    box->addLayout(row);
    connect(more, &QPushButton::clicked, this, [this] { addRow(kNaN); });
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(apply_, &QPushButton::clicked, this, &QDialog::accept);
    connect(table_, &QTableWidget::itemChanged, this, &MeterCheckDialog::check);
    for (const double t : moments) addRow(t);
    check();
}

void MeterCheckDialog::addRow(double time_s) {
    const QSignalBlocker quiet(table_);
    const int r = table_->rowCount();
    table_->insertRow(r);
    table_->setItem(
        r, kMoment,
        new QTableWidgetItem(std::isfinite(time_s) ? QString::fromStdString(clockText(time_s))
                                                   : QString()));
    auto* place = new QComboBox(table_);
    place->setAccessibleName(tr("Where the meter stood"));
    place->addItem(tr("battery's terminals"));
    place->addItem(tr("logger or charger"));
    table_->setCellWidget(r, kPlace, place);
    connect(place, &QComboBox::currentIndexChanged, this, &MeterCheckDialog::check);
    table_->setItem(r, kMeter, new QTableWidgetItem);
    auto* log = new QTableWidgetItem;
    log->setFlags(log->flags() & ~Qt::ItemIsEditable);
    table_->setItem(r, kLog, log);
    if (r == 0) table_->setCurrentCell(0, kMeter);
}

void MeterCheckDialog::check() {
    const QSignalBlocker quiet(table_);
    std::vector<MeterReading> readings;
    QString problem;
    for (int r = 0; r < table_->rowCount(); ++r) {
        const std::string moment = table_->item(r, kMoment)->text().trimmed().toStdString();
        const QString meter = table_->item(r, kMeter)->text().trimmed().replace(',', '.');
        const auto at = parseClock(moment, {TimeShape::Clock, DateOrder::DayMonthYear, true, '.'});
        table_->item(r, kLog)->setText({});
        if (at && *at >= 0 && *at <= recording_->duration_s()) {
            const std::size_t k = recording_->nearest(*at);
            table_->item(r, kLog)->setText(
                QString::fromStdString(fixed(recording_->voltage_V()[k], 3)) + "\u202FV, " +
                QString::fromStdString(fixed(recording_->current_A()[k], 3)) + "\u202FA");
        }
        if (meter.isEmpty()) continue;
        const auto volts = parseQuantity(meter.toStdString(), Quantity::Voltage);
        if (!at || !volts) {
            problem =
                !at ? tr("Row %1: the moment is not readable; h:mm:ss is accepted.").arg(r + 1)
                    : tr("Row %1: the reading is not readable; 12.34, 12.34 V or 12340 mV is "
                         "accepted.")
                          .arg(r + 1);
            continue;
        }
        MeterReading m;
        m.time_s = *at;
        m.meter_V = *volts;
        // The last digit written is the meter's last digit.
        const int point = static_cast<int>(meter.indexOf('.'));
        int decimals = 0;
        for (int k = point + 1; point >= 0 && k < meter.size() && meter[k].isDigit(); ++k)
            ++decimals;
        m.resolution_V =
            std::pow(10.0, -decimals) * (meter.contains("mV", Qt::CaseInsensitive) ? 1e-3 : 1.0);
        auto* place = qobject_cast<QComboBox*>(table_->cellWidget(r, kPlace));
        m.place = place->currentIndex() == 0 ? MeterReading::Place::Terminals
                                             : MeterReading::Place::Logger;
        readings.push_back(m);
    }
    verdict_ = {};
    QString text = problem;
    if (problem.isEmpty() && !readings.empty()) {
        auto verdict = checkMeter(*recording_, readings);
        if (verdict) {
            verdict_ = std::move(*verdict);
            for (const std::string& w : verdict_.words)
                text += (text.isEmpty() ? "" : " ") + QString::fromStdString(w);
        } else {
            text = QString::fromStdString(verdict.error().text());
        }
    } else if (problem.isEmpty()) {
        text = tr("No reading yet.");
    }
    words_->setText(text);
    apply_->setEnabled(!verdict_.proposals.empty());
}

}  // namespace nk
