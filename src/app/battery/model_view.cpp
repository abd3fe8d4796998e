#include "app/battery/model_view.h"

#include <QComboBox>
#include <QLabel>
#include <QVBoxLayout>
#include <cmath>

#include "app/plot/prediction_plot.h"
#include "app/session/text.h"
#include "app/theme/word_label.h"
#include "quantity/format.h"
#include "quantity/phrase.h"

namespace nk {

QStringList modelWords(const KeptModel& kept) {
    const OwnModel& m = kept.model;
    const auto say = [](const std::string& s) { return QString::fromStdString(s); };
    QStringList out;
    const double middle =
        1000 * m.series * (m.r0At(0.5 * m.scale_Ah, 25) + m.r_ohm[0] + m.r_ohm[1]);
    out << say(
        kept.learnedFrom.size() == 1
            ? phrase("Learned from one log: {} from full to the floor, {:.3g} mΩ in the middle at "
                     "25 °C with its slow parts.",
                     shortValue(m.capacity_Ah, "Ah"), middle)
            : phrase("Learned from {} logs: {} from full to the floor, {:.3g} mΩ in the middle at "
                     "25 °C with its slow parts.",
                     kept.learnedFrom.size(), shortValue(m.capacity_Ah, "Ah"), middle));
    const double miss = 1000 * m.leftOutRms_V;
    out << say(miss > 25
                   ? phrase("Rough: what a fit did not see it misses by {:.0f} mV a cell.", miss)
                   : phrase("What a fit did not see it misses by {:.1f} mV a cell.", miss));
    out << say(
        phrase("It knows {:.2g}C to {:.2g}C, {:.0f} to {:.0f} °C, {:.0f} to {:.0f} % of the "
               "charge; beyond, its answers are wider and marked.",
               m.evidence.c_low, m.evidence.c_high, m.evidence.t_low_C, m.evidence.t_high_C,
               100 * std::max(0.0, m.evidence.soc_low), 100 * std::min(1.0, m.evidence.soc_high)));
    for (const std::string& c : m.caveats) out << say(c);
    return out;
}

ModelView::ModelView(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
    setObjectName("modelView");
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(0, 0, 0, 0);
    box->setSpacing(5);
    words_ = wordLabel(this, "modelWords", "");
    box->addWidget(words_);
    log_ = new QComboBox(this);
    log_->setObjectName("modelLog");
    log_->setAccessibleName(tr("Log that is predicted"));
    box->addWidget(log_);
    curve_ = new PredictionPlot(this);
    box->addWidget(curve_, 1);
    connect(log_, &QComboBox::currentIndexChanged, this, &ModelView::draw);
    connect(&job_, &Job::failed, this, [this](const QString& what) { session_.say(what, true); });
}

void ModelView::show(std::int64_t id) {
    model_.reset();
    why_ = tr("Its own model is learned from its logs…");
    take();
    job_.start(
        [path = session_.path(), id](std::stop_token stop,
                                     const Job::ProgressSink&) -> Expected<KeptModel> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            return ownModelOf(**book, id, stop);
        },
        [this](Expected<KeptModel> told) {
            if (told)
                model_ = std::move(*told);
            else
                why_ = text(told.error());
            take();
        });
}

void ModelView::take() {
    words_->setText(model_ ? modelWords(*model_).join("\n") : why_);
    log_->clear();
    if (model_)
        for (const LeftOutLog& l : model_->model.leftOut)
            log_->addItem(tr("%1: %2 mV a cell")
                              .arg(l.log < model_->titles.size()
                                       ? QString::fromStdString(model_->titles[l.log])
                                       : QString(),
                                   QString::fromStdString(phrase("{:.1f}", 1000 * l.rms_V))));
    log_->setVisible(log_->count() > 0);
    curve_->setVisible(log_->count() > 0);
    draw();
}

void ModelView::draw() {
    const int k = log_->currentIndex();
    if (!model_ || k < 0 || k >= static_cast<int>(model_->model.leftOut.size())) {
        curve_->setLines({});
        return;
    }
    const LeftOutLog& l = model_->model.leftOut[static_cast<std::size_t>(k)];
    curve_->setLines(
        {{l.time_s, l.measured_V, tr("measured"), PredictionPlot::Line::Kind::Measured},
         {l.time_s, l.predicted_V, tr("predicted"), PredictionPlot::Line::Kind::Instead}});
    QStringList lines = modelWords(*model_);
    if (std::isfinite(l.predicted_s))
        lines << tr("Of this log it says %1 and %2; it took %3 and %4.")
                     .arg(QString::fromStdString(durationText(l.predicted_s)),
                          QString::fromStdString(shortValue(std::abs(l.predicted_Ah), "Ah")),
                          QString::fromStdString(durationText(l.measured_s)),
                          QString::fromStdString(shortValue(std::abs(l.measured_Ah), "Ah")));
    words_->setText(lines.join("\n"));
}

void ModelView::applyColours() {
    curve_->applyColours();
}

}  // namespace nk
