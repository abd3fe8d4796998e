#include "app/curve/curve_station.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QPushButton>
#include <QSettings>
#include <QVBoxLayout>
#include <cmath>

#include "app/plot/lanes_plot.h"
#include "app/plot/ribbon.h"
#include "app/preferences/preferences.h"
#include "app/shell/data_export.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"
#include "report/words.h"

namespace nk {

CurveStation::CurveStation(QWidget* parent) : Station(parent) {
    setObjectName("curveStation");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(10, 9, 8, 8);
    box->setSpacing(2);
    title_ = new NameLabel(this);
    title_->setObjectName("recordingTitle");
    title_->setProperty("role", "title");
    subtitle_ = new NameLabel(this);
    subtitle_->setProperty("role", "muted");
    subtitle_->setStyleSheet("font-size:12px;");
    auto* head = new QHBoxLayout;
    head->setSpacing(4);
    head->addWidget(title_, 1);
    const auto choice = [&](const QString& text, const char* name, const QString& tip) {
        auto* b = new QPushButton(text, this);
        b->setObjectName(name);
        b->setProperty("role", "choice");
        b->setCheckable(true);
        b->setToolTip(tip);
        head->addWidget(b, 0, Qt::AlignVCenter);
        return b;
    };
    auto* across = new QLabel(tr("across"), this);
    across->setProperty("role", "muted");
    across->setStyleSheet("font-size:12px;");
    across->setContentsMargins(0, 0, 2, 0);
    head->addWidget(across, 0, Qt::AlignVCenter);
    byTime_ = choice(tr("time"), "acrossTime", tr("The lanes run over time (T)"));
    byCharge_ = choice(tr("charge"), "acrossCharge",
                       tr("The lanes run over the charge moved in and out: steps of different "
                          "current can be compared, rests shrink to a line (T)"));
    head->addSpacing(10);
    chargeLane_ = choice(tr("charge lane"), "chargeLane",
                         tr("A lane with the running charge, in minus out since the start (C)"));
    head->addSpacing(6);
    byTime_->setAccessibleName(tr("Time across"));
    byCharge_->setAccessibleName(tr("Charge across"));
    connect(byTime_, &QPushButton::clicked, this, [this] { setAcross(AxisKind::Time); });
    connect(byCharge_, &QPushButton::clicked, this, [this] { setAcross(AxisKind::Charge); });
    connect(chargeLane_, &QPushButton::clicked, this, &CurveStation::setChargeLane);
    box->addLayout(head);
    box->addWidget(subtitle_);
    plot_ = new LanesPlot(this);
    box->addWidget(plot_, 1);
    ribbon_ = new Ribbon(this);
    box->addWidget(ribbon_);
    stepLine_ = new QLabel(this);
    stepLine_->setObjectName("stepLine");
    stepLine_->setProperty("role", "muted");
    stepLine_->setStyleSheet("font-size:12px;");
    stepLine_->setMinimumWidth(10);
    box->addWidget(stepLine_);
    const QSettings settings;
    setAcross(settings.value("curve/across").toString() == "charge" ? AxisKind::Charge
                                                                    : AxisKind::Time);
    chargeLane_->setChecked(settings.value("curve/chargeLane", false).toBool());
    connect(plot_, &LanesPlot::viewChanged, this, [this] {
        const auto [left, right] = plot_->laneEdges();
        ribbon_->setView(plot_->rangeLow(), plot_->rangeHigh(), left, right, plot_->axis());
    });
    connect(plot_, &LanesPlot::pointerAt, this, [this](double t) { updateRuler(t); });
    connect(plot_, &LanesPlot::pointerLeft, this, [this] { updateRuler(std::nullopt); });
    connect(plot_, &LanesPlot::pinRequested, this, [this](int which, double t) {
        if (!shown_) return;
        const double at = shown_->recording->time_s()[shown_->recording->nearest(t)];
        pins_[which] = pins_[which] == at ? std::nullopt : std::optional<double>(at);
        plot_->setPin(which, pins_[which]);
        updateRuler(plot_->cursorTime());
    });
    connect(ribbon_, &Ribbon::stepSelected, this, [this](int index) {
        if (!shown_ || index < 0 || index >= static_cast<int>(shown_->analysis.steps.list.size()))
            return;
        const Step& s = shown_->analysis.steps.list[static_cast<std::size_t>(index)];
        plot_->showEvidence(Evidence{s.start_s, s.end_s, index},
                            QString::fromStdString(kindWords(s)));
        describeStep(index);
    });
    const auto timeIn = [this](int index) {
        const Step& s = shown_->analysis.steps.list[static_cast<std::size_t>(index)];
        return 0.5 * (s.start_s + s.end_s);
    };
    connect(ribbon_, &Ribbon::splitRequested, this, [this](int, double t) {
        Q_EMIT stepsEdited({{StepEdit::Action::Split, t, StepKind::Rest}});
    });
    connect(ribbon_, &Ribbon::joinRequested, this, [this, timeIn](int index) {
        if (!shown_) return;
        Q_EMIT stepsEdited({{StepEdit::Action::Join, timeIn(index), StepKind::Rest}});
    });
    connect(ribbon_, &Ribbon::besideRequested, this, [this, timeIn](int index) {
        if (shown_) Q_EMIT besideRequested(timeIn(index));
    });
    connect(ribbon_, &Ribbon::renameRequested, this, [this, timeIn](int index, StepKind kind) {
        if (!shown_) return;
        Q_EMIT stepsEdited({{StepEdit::Action::Rename, timeIn(index), kind}});
    });
    connect(ribbon_, &Ribbon::edgeMoved, this, [this](int index, double t) {
        if (!shown_) return;
        const auto edits = moveEdge(shown_->analysis.steps, index, t);
        if (!edits.empty()) Q_EMIT stepsEdited(edits);
    });
    connect(ribbon_, &Ribbon::stepActivated, this, [this](int index) {
        if (!shown_ || index < 0 || index >= static_cast<int>(shown_->analysis.steps.list.size()))
            return;
        const Step& s = shown_->analysis.steps.list[static_cast<std::size_t>(index)];
        const double margin = 0.05 * (s.end_s - s.start_s);
        plot_->showRange(s.start_s - margin, s.end_s + margin);
    });
}

void CurveStation::setAcross(AxisKind kind) {
    plot_->setAcross(kind);
    byTime_->setChecked(kind == AxisKind::Time);
    byCharge_->setChecked(kind == AxisKind::Charge);
    QSettings().setValue("curve/across", kind == AxisKind::Charge ? "charge" : "time");
    if (shown_) setMarks();
}

AxisKind CurveStation::across() const {
    return plot_->across();
}

bool CurveStation::chargeLane() const {
    return chargeLane_->isChecked();
}

void CurveStation::setChargeLane(bool on) {
    chargeLane_->setChecked(on);
    QSettings().setValue("curve/chargeLane", on);
    if (shown_) show(shown_);
}

void CurveStation::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_T)
        setAcross(plot_->across() == AxisKind::Time ? AxisKind::Charge : AxisKind::Time);
    else if (event->key() == Qt::Key_C && event->modifiers() == Qt::NoModifier)
        setChargeLane(!chargeLane_->isChecked());
    else
        Station::keyPressEvent(event);
}

void CurveStation::show(ShownPtr shown) {
    const bool same = shown_ && shown && shown_->id == shown->id;
    const double low = plot_->rangeLow();
    const double high = plot_->rangeHigh();
    shown_ = std::move(shown);
    pins_[0].reset();
    pins_[1].reset();
    if (!shown_) {
        // Nothing of the recording that was shown may be clicked any more.
        title_->clear();
        subtitle_->clear();
        stepLine_->clear();
        plot_->setRecording(nullptr);
        ribbon_->setSteps({});
        return;
    }
    title_->setText(shown_->title);
    subtitle_->setText(shown_->subtitle);
    plot_->setRecording(shown_->recording,
                        LanesPlot::kUsual | (chargeLane_->isChecked() ? LanesPlot::kCharge : 0),
                        shown_->charge_Ah);
    ribbon_->setSteps(shown_->analysis.steps);
    if (const Chemistry* c = shown_->analysis.battery.chemistryData()) {
        // Ageing speeds up from about 45 °C (common practice, docs/methods.md).
        const auto degrees = [](double limit_C) {
            return QString::fromStdString(fixed(shownTemperature(limit_C), 0)) + "\u202F" +
                   temperatureUnit();
        };
        std::vector<std::pair<double, QString>> limits = {
            {c->dischargeMax_C, tr("%1, hard limit").arg(degrees(c->dischargeMax_C))},
            {c->chargeMin_C, tr("%1, no charging below").arg(degrees(c->chargeMin_C))}};
        if (c->chargeMax_C < c->dischargeMax_C)
            limits.push_back(
                {c->chargeMax_C,
                 tr("%1, no charging above; ageing speeds up").arg(degrees(c->chargeMax_C))});
        plot_->setTemperatureLimits(std::move(limits));
    }
    setMarks();
    if (same) plot_->showRange(low, high);
    const auto [left, right] = plot_->laneEdges();
    ribbon_->setView(plot_->rangeLow(), plot_->rangeHigh(), left, right, plot_->axis());
    describeStep(-1);
    updateRuler(std::nullopt);
}

void CurveStation::setMarks() {
    std::vector<PlotMark> marks;
    for (const Reading& r : shown_->analysis.readings)
        if ((r.name == "knee_time" || r.name == "peak_time") && r.measurable())
            marks.push_back({r.value, (r.name == "knee_time" ? tr("knee %1") : tr("peak %1"))
                                          .arg(QString::fromStdString(clockText(r.value)))});
    if (marks.size() > 6) marks.clear();  // many charges: the ribbon tells them apart
    plot_->setMarks(std::move(marks));
}

void CurveStation::describeStep(int index) {
    if (!shown_ || index < 0 || index >= static_cast<int>(shown_->analysis.steps.list.size())) {
        stepLine_->setText(
            tr("Click a step, or a finding, to see it on the curve. Wheel zooms, drag pans, Home "
               "shows all; A and B set pins."));
        return;
    }
    const Step& s = shown_->analysis.steps.list[static_cast<std::size_t>(index)];
    QString text = QString::fromStdString(kindWords(s)) + " · " +
                   QString::fromStdString(durationText(s.end_s - s.start_s));
    if (s.isActive()) {
        text += QString::fromStdString(" · " + shortValue(s.meanCurrent_A, "A") +
                                       phrase(" mean · ") + shortValue(s.sum.charge_Ah, "Ah") +
                                       " · " + fixed(s.startVoltage_V, 2) + " to " +
                                       fixed(s.endVoltage_V, 2) + "\u202FV");
        text += " · " + tr("ended: ") + QString::fromStdString(endingWords(s.endedBy));
    }
    stepLine_->setText(text);
}

QString CurveStation::pinsText() const {
    if (!shown_ || (!pins_[0] && !pins_[1])) return {};
    const Recording& r = *shown_->recording;
    if (!pins_[0] || !pins_[1])
        return tr("Pin %1 at %2")
            .arg(pins_[0] ? "A" : "B",
                 QString::fromStdString(clockText(pins_[0] ? *pins_[0] : *pins_[1])));
    const std::size_t a = r.nearest(*pins_[0]);
    const std::size_t b = r.nearest(*pins_[1]);
    const double dt = r.time_s()[b] - r.time_s()[a];
    const double dv = r.voltage_V()[b] - r.voltage_V()[a];
    const double di = r.current_A()[b] - r.current_A()[a];
    const bool warm = r.hasTemperature();
    const double dT = warm ? r.temperature_C()[b] - r.temperature_C()[a] : 0;
    const double dq = shown_->charge_Ah[b] - shown_->charge_Ah[a];
    std::string text = phrase("A to B  ") + durationText(std::abs(dt)) + "  ΔV " + fixed(dv, 3) +
                       "\u202FV  ΔI " + fixed(di, 3) + "\u202FA  " + shortValue(dq, "Ah");
    if (std::abs(di) > 4 * r.currentQuality().sigma() && std::abs(di) > 0.01)
        text += "  ΔV/ΔI " + shortValue(dv / di, "ohm");
    if (dt != 0) text += phrase("  slope ") + fixed(dv / dt * 60000, 2) + "\u202FmV/min";
    if (warm) text += "  ΔT " + fixed(dT, 1) + "\u202FK";
    return QString::fromStdString(text);
}

void CurveStation::updateRuler(std::optional<double> time_s) {
    if (!shown_ || shown_->recording->empty()) {
        Q_EMIT rulerChanged({}, {});
        return;
    }
    const Recording& r = *shown_->recording;
    if (!time_s) {
        Q_EMIT rulerChanged(tr("Point at the curve to read it"), pinsText());
        return;
    }
    const std::size_t k = r.nearest(*time_s);
    const double i = r.current_A()[k];
    const bool rest = std::abs(i) <= shown_->analysis.steps.restThreshold_A;
    std::string text = clockText(r.time_s()[k], r.usualInterval_s() < 1) + "   " +
                       fixed(r.voltage_V()[k], 3) + "\u202FV   " + fixed(i, 3) + "\u202FA " +
                       (rest    ? phrase("rest")
                        : i > 0 ? phrase("charge")
                                : phrase("discharge"));
    if (r.hasTemperature()) text += "   " + shortValue(r.temperature_C()[k], "C");
    text += "   " + fixed(shown_->charge_Ah[k], 3) + "\u202FAh   " +
            fixed(shown_->energy_Wh[k], 2) + "\u202FWh";
    Q_EMIT rulerChanged(QString::fromStdString(text), pinsText());
}

void CurveStation::showEvidence(const Evidence& evidence, const QString& words) {
    plot_->showEvidence(evidence, words);
}
void CurveStation::clearEvidence() {
    plot_->showEvidence(std::nullopt, {});
}

QWidget* CurveStation::firstFocus() {
    return plot_;
}

void CurveStation::applyColours() {
    plot_->applyColours();
    ribbon_->update();
}

std::vector<StationAction> CurveStation::menuActions() {
    return {{tr("Time or charge across"),
             [this] { setAcross(across() == AxisKind::Time ? AxisKind::Charge : AxisKind::Time); }},
            {tr("Charge lane"), [this] { setChargeLane(!chargeLane()); }}};
}

Expected<void> CurveStation::writePicture(const QString& path) {
    return writeCurve(path, *plot_);
}

std::optional<std::pair<double, double>> CurveStation::range() const {
    return std::pair(plot_->rangeLow(), plot_->rangeHigh());
}

void CurveStation::setRange(double from_s, double to_s) {
    plot_->showRange(from_s, to_s);
}

}  // namespace nk
