#include "app/origin/things_dialog.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>

#include "app/theme/word_label.h"
#include "quantity/accuracy_text.h"
#include "quantity/format.h"

namespace nk {

namespace {

QLabel* line(const QString& text, const char* role, QWidget* parent) {
    auto* label = wordLabel(parent);
    label->setText(text);
    if (*role != 0) label->setProperty("role", role);
    return label;
}

}  // namespace

namespace {

QLabel* name(const std::string& text, QWidget* parent) {
    QLabel* label = line(QString::fromStdString(text), "", parent);
    QFont font = label->font();
    font.setWeight(QFont::DemiBold);
    label->setFont(font);
    return label;
}

}  // namespace

Expected<BookThings> readThings(BenchBook& book) {
    BookThings out;
    auto instruments = book.instruments();
    auto checks = book.meterChecks();
    auto recordings = book.recordings();
    const auto chargers = book.chargers();
    if (!instruments) return tl::unexpected<Error>(instruments.error());
    if (!checks) return tl::unexpected<Error>(checks.error());
    if (!recordings) return tl::unexpected<Error>(recordings.error());
    if (!chargers) return tl::unexpected<Error>(chargers.error());
    for (const ChargerEntry& e : *chargers) {
        auto audit = auditCharger(book, e.id);
        if (!audit) return tl::unexpected<Error>(audit.error());
        out.chargers.push_back(std::move(*audit));
    }
    out.instruments = std::move(*instruments);
    out.checks = std::move(*checks);
    out.recordings = std::move(*recordings);
    return out;
}

ThingsDialog::ThingsDialog(BookThings things, QWidget* parent)
    : QDialog(parent), things_(std::move(things)) {
    setObjectName("things");
    setWindowTitle(tr("Instruments and chargers"));
    resize(560, 480);
    auto* outer = new QVBoxLayout(this);
    outer->setContentsMargins(18, 16, 18, 16);
    auto* scroll = new QScrollArea(this);
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    auto* body = new QWidget;
    body->setObjectName("scrollBody");
    auto* box = new QVBoxLayout(body);
    box->setContentsMargins(0, 0, 8, 0);
    box->setSpacing(4);
    if (things_.instruments.empty() && things_.chargers.empty())
        box->addWidget(line(tr("None is named yet. Say what a log was taken with when it comes in, "
                               "or in the menu of a log on the shelf."),
                            "muted", body));
    addInstruments(box);
    addChargers(box);
    box->addStretch(1);
    scroll->setWidget(body);
    outer->addWidget(scroll, 1);
    auto* buttons = new QHBoxLayout;
    buttons->addStretch(1);
    auto* close = new QPushButton(tr("Close"), this);
    close->setDefault(true);
    buttons->addWidget(close);
    outer->addLayout(buttons);
    connect(close, &QPushButton::clicked, this, &QDialog::accept);
}

void ThingsDialog::addInstruments(QVBoxLayout* box) {
    for (const InstrumentEntry& e : things_.instruments) {
        const auto logs =
            std::ranges::count(things_.recordings, e.id, &RecordingEntry::instrumentId);
        box->addWidget(name(e.instrument.name, this));
        box->addWidget(line(tr("An instrument; logs by it: %1").arg(logs), "muted", this));
        auto* row = new QHBoxLayout;
        auto* accuracy =
            new QLineEdit(QString::fromStdString(accuracyText(e.instrument.accuracy)), this);
        accuracy->setObjectName(QString("accuracy-%1").arg(e.id));
        accuracy->setAccessibleName(
            tr("Accuracy of %1").arg(QString::fromStdString(e.instrument.name)));
        accuracy->setToolTip(
            tr("Per cent of the reading + steps of the last digit, for volts (V) "
               "and amperes (A); kelvin for the temperature (C)."));
        auto* keep = new QPushButton(tr("Keep"), this);
        keep->setObjectName(QString("keepAccuracy-%1").arg(e.id));
        keep->setEnabled(false);
        row->addWidget(accuracy, 1);
        row->addWidget(keep);
        box->addLayout(row);
        auto* note = line({}, "muted", this);
        note->hide();
        box->addWidget(note);
        connect(accuracy, &QLineEdit::textChanged, this, [accuracy, keep, note, e] {
            const auto typed = parseAccuracy(accuracy->text().toStdString(), {});
            keep->setEnabled(typed && !(*typed == e.instrument.accuracy));
            note->setVisible(!typed);
            if (!typed) note->setText(QString::fromStdString(typed.error().text()));
        });
        connect(keep, &QPushButton::clicked, this, [this, accuracy, keep, e] {
            const auto typed = parseAccuracy(accuracy->text().toStdString(), {});
            if (!typed) return;
            Instrument changed = e.instrument;
            changed.accuracy = *typed;
            keep->setEnabled(false);
            Q_EMIT accuracyChanged(e.id, e.revision, changed);
        });
        for (const MeterCheck& m : things_.checks) {
            if (m.instrumentId != e.id) continue;
            const QString day =
                QDateTime::fromSecsSinceEpoch(static_cast<qint64>(m.at_s)).toString("d MMM yyyy");
            box->addWidget(line(tr("Checked %1: %2, %3")
                                    .arg(day, QString::fromStdString(m.correction.name),
                                         QString::fromStdString(
                                             valueText(m.correction.value, m.correction.uncertainty,
                                                       correctionUnit(m.correction.kind))
                                                 .joined())),
                                "", this));
        }
        box->addSpacing(10);
    }
}

void ThingsDialog::addChargers(QVBoxLayout* box) {
    for (const ChargerAudit& a : things_.chargers) {
        box->addWidget(name(a.charger.charger.name, this));
        box->addWidget(
            line(tr("A charger; logs with a charge by it: %1").arg(a.charges), "muted", this));
        for (const ChargerHabit& h : a.habits) {
            const QString words = QString::fromStdString(h.words);
            box->addWidget(line(h.hazard ? tr("HAZARD: %1").arg(words) : words, "", this));
        }
        if (a.habits.empty())
            box->addWidget(line(tr("Its logs tell nothing of it yet."), "", this));
        box->addSpacing(10);
    }
}

}  // namespace nk
