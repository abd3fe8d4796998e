#include "app/plan/what_if_panel.h"

#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QSpinBox>
#include <QVBoxLayout>
#include <cmath>

#include "app/plot/prediction_plot.h"
#include "app/preferences/preferences.h"
#include "app/session/text.h"
#include "app/theme/field_grid.h"
#include "app/theme/quantity_field.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "report/words.h"
#include "safety/gate.h"

namespace nk {

namespace {

QString say(const std::string& words) {
    return QString::fromStdString(words);
}

/// "1 h 52 min ± 6 min".
QString spanOf(double seconds, double standard_s) {
    if (!std::isfinite(seconds)) return QObject::tr("no end");
    return say(durationText(seconds)) + " ± " + say(durationText(2 * standard_s));
}

}  // namespace

WhatIfPanel::WhatIfPanel(QWidget* parent) : QWidget(parent) {
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(6);
    form_ = new FieldGrid(4, this);
    connect(form_, &FieldGrid::changed, this, [this] {
        if (!filling_) ask();
    });
    step_ = new QComboBox(form_);
    connect(step_, &QComboBox::currentIndexChanged, this, [this] {
        if (!filling_) chooseStep();
    });
    form_->add(tr("What was logged"), step_, "whatIfStep");
    amount_ = form_->decimal(tr("Had it been"), "whatIfAmount", {0.001, 100000, 0.1, 3}, 1);
    unit_ = form_->choice(tr("in"), "whatIfUnit", {"A", "W"});
    volts_ = form_->decimal(tr("to, a cell"), "whatIfVolts", {0.5, 5, 0.01, 3}, 4, "V");
    cutoff_ = form_->decimal(tr("Cut-off"), "whatIfCutoff", {0.001, 10000, 0.01, 3}, 1, "A");
    end_ = form_->choice(tr("to"), "whatIfEnd", {tr("its peak"), tr("the clock")});
    drop_ = form_->decimal(tr("below it, a cell"), "whatIfDrop", {0, 20, 1, 1}, 5, "mV");
    minutes_ = form_->whole(tr("for"), "whatIfMinutes", 1, 6000, 90, "min");
    warmth_ = form_->whole(tr("at"), "whatIfWarmth", -30, 60, 20, "°C");
    load_ = form_->choice(tr("Load"), "whatIfLoad", {tr("steady"), tr("pulsed"), tr("eased in")});
    on_ = form_->whole(tr("on, or over"), "whatIfOn", 1, 100000, 10, "s");
    off_ = form_->whole(tr("off"), "whatIfOff", 1, 100000, 20, "s");
    box->addWidget(form_);
    words_ = wordLabel(this, "whatIfWords", "");
    box->addWidget(words_);
    curve_ = new PredictionPlot(this);
    box->addWidget(curve_, 1);
}

void WhatIfPanel::setRecording(const ShownPtr& shown, const std::optional<OwnModel>& model,
                               const QString& why) {
    job_.cancel();  // an answer about what was shown before
    shown_ = shown;
    model_ = model;
    steps_.clear();
    answer_.reset();
    filling_ = true;
    step_->clear();
    if (shown_ && model_) {
        const Analysis& a = shown_->analysis;
        for (std::size_t k = 0; k < a.steps.list.size(); ++k) {
            const Step& s = a.steps.list[k];
            const bool tail = s.kind == StepKind::CvCharge && k > 0 &&
                              a.steps.list[k - 1].kind == StepKind::CcCharge;
            if (tail || s.sum.duration_s < 60 || !asPredicted(*shown_->recording, s, a.battery))
                continue;
            steps_.push_back(k);
            step_->addItem(tr("%1, from %2").arg(say(kindWords(s)), say(clockText(s.start_s))));
        }
    }
    filling_ = false;
    form_->setVisible(!steps_.empty());
    curve_->setVisible(!steps_.empty());
    if (steps_.empty()) {
        words_->setText(!shown_   ? tr("Choose a recording with a charge or a discharge.")
                        : !model_ ? why
                                  : tr("This recording has no charge and no steady discharge "
                                       "that could be told again."));
        return;
    }
    // The longest first.
    std::size_t best = 0;
    for (std::size_t k = 1; k < steps_.size(); ++k)
        if (shown_->analysis.steps.list[steps_[k]].sum.duration_s >
            shown_->analysis.steps.list[steps_[best]].sum.duration_s)
            best = k;
    filling_ = true;
    step_->setCurrentIndex(static_cast<int>(best));
    filling_ = false;
    chooseStep();
}

void WhatIfPanel::chooseStep() {
    if (steps_.empty()) return;
    const auto at = static_cast<std::size_t>(std::max(0, step_->currentIndex()));
    const auto& list = shown_->analysis.steps.list;
    const Step& s = list[steps_[at]];
    const auto was = asPredicted(*shown_->recording, s, shown_->analysis.battery);
    if (!was) return;
    const bool charge = was->kind == PredictStep::Kind::Charge;
    asked_ = was->kind;
    const Step* taper = steps_[at] + 1 < list.size() && s.kind == StepKind::CcCharge &&
                                list[steps_[at] + 1].kind == StepKind::CvCharge
                            ? &list[steps_[at] + 1]
                            : nullptr;
    filling_ = true;
    amount_->setValue(was->value);
    unit_->setCurrentIndex(was->kind == PredictStep::Kind::Power ? 1 : 0);
    const Chemistry& c = *model_->chemistry;
    // What is set, not what one row showed: hundredths of a volt.
    const double volts =
        (taper != nullptr ? taper->endVoltage_V / shown_->analysis.battery.cells() : was->volts);
    volts_->setRange(charge ? c.nominal_V : 0.5 * c.dischargeFloor_V,
                     charge ? c.set_V : c.nominal_V);
    volts_->setValue(std::round(volts * 100) / 100);
    cutoff_->setValue(taper != nullptr ? std::abs(taper->endCurrent_A)
                                       : std::max(0.001, was->value / 20));
    const Recording& r = *shown_->recording;
    const double warm = r.hasTemperature() ? r.temperature_C()[s.first] : kNaN;
    warmth_->setValue(static_cast<int>(std::lround(std::isfinite(warm) ? warm : 20)));
    load_->setCurrentIndex(0);
    end_->setCurrentIndex(was->duration_s > 0 ? 1 : 0);
    drop_->setValue(1000 * was->drop_V);
    minutes_->setValue(std::max(1, static_cast<int>(std::lround(s.sum.duration_s / 60))));
    filling_ = false;
    ask();
}

PredictStep WhatIfPanel::wanted() const {
    PredictStep out;
    out.kind = asked_;
    out.value = amount_->value();
    if (asked_ == PredictStep::Kind::PeakCharge) {
        if (end_->currentIndex() == 0)
            out.drop_V = drop_->value() / 1000;
        else
            out.duration_s = 60.0 * minutes_->value();
        return out;
    }
    out.volts = volts_->value();
    out.cutoff_A = cutoff_->value();
    if (out.charges()) return out;
    out.kind = unit_->currentIndex() == 1 ? PredictStep::Kind::Power : PredictStep::Kind::Discharge;
    if (load_->currentIndex() == 1) {
        out.on_s = on_->value();
        out.off_s = off_->value();
    }
    if (load_->currentIndex() == 2) out.ease_s = on_->value();
    return out;
}

void WhatIfPanel::ask() {
    if (steps_.empty()) return;
    const bool charge = asked_ == PredictStep::Kind::Charge;
    const bool peak = asked_ == PredictStep::Kind::PeakCharge;
    const bool load = !charge && !peak;
    form_->ask(unit_, load);
    // A charge is told in amperes alone.
    amount_->setSuffix(load ? QString() : QString(QChar(0x202F)) + "A");
    form_->ask(volts_, !peak);
    form_->ask(cutoff_, charge);
    form_->ask(end_, peak);
    form_->ask(drop_, peak && end_->currentIndex() == 0);
    form_->ask(minutes_, peak && end_->currentIndex() == 1);
    form_->ask(load_, load);
    form_->ask(on_, load && load_->currentIndex() > 0);
    form_->ask(off_, load && load_->currentIndex() == 1);
    form_->layOut();
    const std::size_t step = steps_[static_cast<std::size_t>(std::max(0, step_->currentIndex()))];
    job_.start(
        [shown = shown_, model = *model_, step, instead = wanted(), warmth = warmth_->value()](
            std::stop_token, const Job::ProgressSink&) -> Expected<WhatIf> {
            const ModelLog log{shown->recording.get(), &shown->analysis.steps};
            return whatIf(model, log, shown->analysis.battery, step, instead, warmth);
        },
        [this](const Expected<WhatIf>& told) { take(told); });
}

void WhatIfPanel::take(const Expected<WhatIf>& told) {
    answer_.reset();
    if (!told) {
        words_->setText(text(told.error()));
        curve_->setLines({});
        return;
    }
    answer_ = *told;
    const WhatIf& w = *told;
    const bool charge = w.instead.step.charges();
    const PredictedStep& p = w.instead;
    QStringList lines;
    lines << tr("It would take %1 and %2 %3; it took %4.")
                 .arg(spanOf(p.duration_s, p.uncertainty_s), charge ? tr("put in") : tr("give"),
                      say(valueText(std::abs(p.charge_Ah), p.uncertainty_Ah, "Ah").joined()),
                      say(durationText(w.measured_s)));
    QString second;
    if (w.instead.step.kind == PredictStep::Kind::PeakCharge)
        second = tr("It would end %1 ± %2 % full. ")
                     .arg(say(phrase("{:.0f}", 100 * std::min(1.0, w.endSoc))),
                          say(phrase("{:.0f}", std::max(1.0, 200 * w.endSocUncertainty))));
    else if (charge)
        second = tr("The knee would come after %1; it would end %2 ± %3 % full. ")
                     .arg(std::isfinite(p.knee_s) ? say(durationText(p.knee_s)) : "?",
                          say(phrase("{:.0f}", 100 * std::min(1.0, w.endSoc))),
                          say(phrase("{:.0f}", std::max(1.0, 200 * w.endSocUncertainty))));
    lines << second +
                 tr("Up to %1 warm, from %2 % at the start.")
                     .arg(degreesText(p.maxTemperature_C), say(phrase("{:.0f}", 100 * w.startSoc)));
    QString third =
        tr("Of what was really done the model says %1; it misses what it did not see by "
           "%2 mV a cell.")
            .arg(spanOf(w.asItWas.duration_s, w.asItWas.uncertainty_s),
                 say(phrase("{:.0f}", 1000 * model_->leftOutRms_V)));
    if (p.extrapolated) third += " " + tr("Beyond what was ever logged:");
    for (const std::string& c : p.caveats) third += " " + say(c);
    lines << third;
    // The model answers what would be; the gate whether it may be done.
    BatteryState state;
    state.battery = shown_->analysis.battery;
    state.ambient_C = warmth_->value();
    state.ratingIsRight = true;
    ActWish act;
    act.act = charge ? Act::Charge : Act::Discharge;
    if (charge) act.charge_A = amount_->value();
    act.inAmperes = true;
    if (const auto may = askGate(state, act); !may)
        lines.prepend(tr("Not to be done: %1 Instead: %2")
                          .arg(say(may.error().what), say(may.error().accepted)));
    words_->setText(lines.join("\n"));

    std::vector<PredictionPlot::Line> curves(3);
    const Recording& r = *shown_->recording;
    const std::size_t from = w.measured.first;
    const double end_s = r.time_s()[from] + w.measured_s;
    std::size_t last = from;
    while (last + 1 < r.size() && r.time_s()[last] < end_s) ++last;
    const std::size_t stride = std::max<std::size_t>(1, (last - from) / 600);
    const double cells = shown_->analysis.battery.cells();
    for (std::size_t k = from; k <= last; k += stride) {
        curves[0].time_s.push_back(r.time_s()[k] - r.time_s()[from]);
        curves[0].voltage_V.push_back(r.voltage_V()[k] / cells);
    }
    curves[0].name = tr("measured");
    curves[1] = {w.asItWas.time_s, w.asItWas.voltage_V, tr("by the model"),
                 PredictionPlot::Line::Kind::Predicted};
    curves[2] = {p.time_s, p.voltage_V, tr("instead"), PredictionPlot::Line::Kind::Instead};
    curve_->setLines(std::move(curves));
}

QString WhatIfPanel::words() const {
    return words_->text();
}

void WhatIfPanel::applyColours() {
    curve_->applyColours();
}

}  // namespace nk
