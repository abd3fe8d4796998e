// What the book knows of the battery: into the wishes of the plans, and beside their card.
#include "app/plan/plan_station.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QScrollArea>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "app/plan/card_view.h"
#include "app/plan/expected_charge.h"
#include "app/plan/expected_curve.h"
#include "app/plan/queue_desk.h"
#include "app/plan/what_if_panel.h"
#include "app/session/text.h"
#include "app/theme/theme.h"
#include "app/theme/word_label.h"
#include "history/open_recording.h"
#include "history/plan_files.h"
#include "ownmodel/judge.h"
#include "planning/log_next.h"
#include "quantity/format.h"
#include "quantity/phrase.h"
#include "safety/rules.h"

namespace nk {

void PlanStation::learn(std::int64_t id, std::int64_t recording) {
    if (learnedOf_ == id && learnedFor_ == recording) return;
    if (learnedOf_ != id) known_ = {};
    known_.against.clear();
    known_.before.reset();
    learnedOf_ = id;
    learnedFor_ = recording;
    if (id <= 0) {
        model_.cancel();
        known_ = {};
        whatIf_->setRecording(shown_, std::nullopt, {});
        return;
    }
    model_.start(
        [path = session_.path(), id, recording](std::stop_token stop,
                                                const Job::ProgressSink&) -> Expected<Known> {
            auto book = BenchBook::open(path, false);
            if (!book) return tl::unexpected<Error>(book.error());
            Known out;
            auto model = ownModelOf(**book, id, stop);
            if (model)
                out.model = std::move(*model);
            else if (model.error().kind == ErrorKind::Cancelled)
                return tl::unexpected<Error>(model.error());
            else
                out.whyNone = text(model.error());
            out.ready = keptReadyIn((*book)->setting(readySetting(id)).value_or(std::string()));
            out.plans = plansOf(**book, id);
            if (auto history = batteryHistory(**book, id)) {
                if (auto standing = standingOf(**book, *history))
                    out.standing = std::move(*standing);
                out.history = std::move(*history);
            }
            if (recording > 0 && !out.plans.empty()) {
                const auto opened = openRecording(**book, recording);
                const int before = opened ? planBefore(out.plans, *opened) : -1;
                if (before >= 0) {
                    out.before = out.plans[static_cast<std::size_t>(before)];
                    out.against = againstLog(*out.before, *opened);
                }
            }
            return out;
        },
        [this, id](Expected<Known> found) {
            if (id != learnedOf_) return;
            if (found)
                known_ = std::move(*found);
            else
                known_.whyNone = text(found.error());
            form_->setReady(known_.ready.value_or(ReadyRule()));
            form_->setKnown(known_.standing && known_.standing->capacity
                                ? known_.standing->capacity->value
                                : 0);
            whatIf_->setRecording(shown_,
                                  known_.model ? std::optional(known_.model->model) : std::nullopt,
                                  known_.whyNone);
            answer();
        });
}

Battery PlanStation::base() const {
    return learnedOf_ > 0 ? session_.batteryOf(learnedOf_) : Battery();
}

ChargeWish PlanStation::chargeWish() const {
    ChargeWish w = form_->chargeWish(base());
    if (known_.standing && known_.history) {
        const Battery asked = w.battery;
        fillIn(w, *known_.standing, *known_.history);
        w.battery = asked;  // as the form has it now
    }
    w.skin = learnedOf_ > 0 ? session_.lifeOf(learnedOf_).outOfUse : std::string();
    if (known_.model && known_.model->model.series == w.battery.series) {
        const OwnModel& own = known_.model->model;
        w.resistance_ohm = own.r0At(0.5 * own.scale_Ah, w.ambient_C) + own.r_ohm[0] + own.r_ohm[1];
    }
    return w;
}

/// The charge with its one time: card, timer, picture and ready-by take the same.
std::optional<KnownCharge> PlanStation::known() const {
    if (!known_.history) return std::nullopt;
    const ChargeWish w = chargeWish();
    const OwnModel* own = known_.model ? &known_.model->model : nullptr;
    if (own != nullptr &&
        (own->series != w.battery.series || own->chemistry->id != w.battery.chemistry))
        own = nullptr;
    auto out = planKnown(w, *known_.history, own);
    if (!out) return std::nullopt;
    return std::move(*out);
}

ProgramWish PlanStation::programWish() const {
    ProgramWish w = form_->programWish(base());
    if (known_.standing) {
        const Battery asked = w.battery;
        fillIn(w, *known_.standing);
        w.battery = asked;
    }
    w.skin = learnedOf_ > 0 ? session_.lifeOf(learnedOf_).outOfUse : std::string();
    return w;
}

void PlanStation::expect() {
    curve_->hide();
    modelWords_->clear();
    expected_.reset();
    if (asked_ != Asked::Charge || !problem_.isEmpty()) return;
    const Battery b = form_->battery(base());
    const OwnModel* own = known_.model ? &known_.model->model : nullptr;
    if (own == nullptr || own->series != b.series || b.chemistry != own->chemistry->id) {
        modelWords_->setText(
            learnedOf_ <= 0 ? tr("With logs of the battery its own model draws the curve here.")
                            : tr("No model of this battery could be learned from its logs yet. %1")
                                  .arg(known_.whyNone));
        return;
    }
    const auto quoted = known();
    if (!quoted) return;
    const auto told = expectedCharge(*own, quoted->plan, form_->fromSoc(), form_->warmth_C());
    if (!told) return;
    expected_ = told->step;
    curve_->setStep(told->step);
    curve_->show();
    modelWords_->setText(told->words);
}

/// The shown recording beside the card that was kept before it.
void PlanStation::drawAgainst() {
    QString words;
    if (asked_ == Asked::Charge && known_.before)
        words = againstWords(*known_.before, known_.against);
    else if (asked_ == Asked::Charge && !known_.plans.empty())
        words = waitsWords(known_.plans.back());
    against_->setText(words);
    against_->setVisible(!words.isEmpty());
}

}  // namespace nk
