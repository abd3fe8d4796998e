#include "app/finish/finish_presenter.h"

#include <QObject>
#include <cmath>

#include "analysis/finish/rule_moves.h"
#include "quantity/format.h"

namespace nk {

namespace {

QString qs(const std::string& s) {
    return QString::fromStdString(s);
}

}  // namespace

void FinishPresenter::setShown(ShownPtr shown) {
    const bool sameBattery =
        shown_ && shown && shown_->batteryId == shown->batteryId &&
        shown_->analysis.battery.rules == shown->analysis.battery.rules &&
        shown_->analysis.battery.chemistry == shown->analysis.battery.chemistry;
    shown_ = std::move(shown);
    charges_.clear();
    if (!shown_) return;
    charges_ = chargeSpans(shown_->input());
    if (!sameBattery || rules_.empty()) rules_ = defaultRules(shown_->analysis.battery);
}

bool FinishPresenter::nickel() const {
    const Chemistry* c = shown_ ? shown_->analysis.battery.chemistryData() : nullptr;
    return c != nullptr && c->nickel();
}

QString FinishPresenter::chargeLabel(int charge) const {
    const ChargeSpan& c = charges_[static_cast<std::size_t>(charge)];
    const auto t = shown_->recording->time_s();
    const double in = integrate(*shown_->recording, c.first, c.last).charge_Ah;
    return QObject::tr("Charge %1 of %2, from %3, %4")
        .arg(charge + 1)
        .arg(charges_.size())
        .arg(qs(clockText(t[c.first])), qs(shortValue(in, "Ah")));
}

void FinishPresenter::resetRules() {
    if (!shown_) return;
    Battery usual = shown_->analysis.battery;
    usual.rules.clear();
    rules_ = defaultRules(usual);
}

std::vector<std::string> FinishPresenter::ruleTexts() const {
    std::vector<std::string> out;
    for (const StopRule& rule : rules_) out.push_back(rule.text);
    return out;
}

Expected<void> FinishPresenter::typeRule(int index, const QString& text) {
    auto rule = parseRule(text.trimmed().toStdString());
    if (!rule) return tl::unexpected<Error>(rule.error());
    for (std::size_t k = 0; k < rules_.size(); ++k)
        if (static_cast<int>(k) != index && rules_[k].text == rule->text)
            return fail(ErrorKind::InvalidArgument, "This rule is on the list already.", rule->text,
                        "a rule with another threshold.");
    if (index >= 0 && index < static_cast<int>(rules_.size()))
        rules_[static_cast<std::size_t>(index)] = std::move(*rule);
    else
        rules_.push_back(std::move(*rule));
    return {};
}

std::function<Expected<FinishPresenter::Moved>()> FinishPresenter::movingWork(int charge, int index,
                                                                              double time_s) const {
    if (!shown_ || charge < 0 || charge >= chargeCount() || index < 0 ||
        index >= static_cast<int>(rules_.size()))
        return []() -> Expected<Moved> {
            return fail(ErrorKind::InvalidArgument, "There is no such flag.");
        };
    return [shown = shown_, span = charges_[static_cast<std::size_t>(charge)], rules = rules_,
            index = static_cast<std::size_t>(index), time_s]() mutable -> Expected<Moved> {
        StopRule& rule = rules[index];
        const ReplayResult now = replay(shown->input(), span, rule);
        const std::size_t moved = now.condition >= 0 ? static_cast<std::size_t>(now.condition) : 0;
        auto condition =
            conditionAt(shown->input(), span, rule.conditions[moved].kind, time_s, rule.holdOff_s);
        if (!condition) return tl::unexpected<Error>(condition.error());
        condition->rise_V = rule.conditions[moved].rise_V;
        rule.conditions[moved] = *condition;
        rule.text = ruleText(rule);
        // What is shown is what counts: the rounded threshold of the text.
        if (auto read = parseRule(rule.text)) rule = std::move(*read);
        Moved out;
        out.ranking = rankRules(shown->input(), span, rules);
        out.rules = std::move(rules);
        return out;
    };
}

std::function<Ranking()> FinishPresenter::rankingWork(int charge) const {
    return [shown = shown_, span = charges_[static_cast<std::size_t>(charge)], rules = rules_] {
        return rankRules(shown->input(), span, rules);
    };
}

FinishView FinishPresenter::view(int charge, const Ranking& ranking) const {
    FinishView out;
    const ChargeSpan& span = charges_[static_cast<std::size_t>(charge)];
    const auto t = shown_->recording->time_s();
    const double length = t[span.last] - t[span.first];
    // The end of the charge is what the question is about: from before the first event on.
    double firstEvent = t[span.last];
    double lastEvent = t[span.last];
    const auto event = [&](double at) {
        if (!std::isfinite(at)) return;
        firstEvent = std::min(firstEvent, at);
        lastEvent = std::max(lastEvent, at);
    };
    event(ranking.full.time_s);
    for (const RankedRule& r : ranking.rules) event(r.result.time_s);
    for (const Reading& r : shown_->analysis.readings)
        if (r.name == "knee_time" && r.evidence.step >= span.firstStep &&
            r.evidence.step <= span.lastStep)
            event(r.value);
    const double spread = std::max(lastEvent - firstEvent, 0.08 * length);
    out.to_s = std::min(lastEvent + 0.5 * spread, t.back());
    out.from_s = std::max(firstEvent - 1.2 * spread, t[span.first] - 0.03 * length);
    out.full_s = ranking.full.time_s;
    if (std::isfinite(ranking.full.charge_Ah)) {
        out.fullWords =
            QObject::tr("Full is %1: %2 in")
                .arg(qs(ranking.full.words), qs(shortValue(ranking.full.charge_Ah, "Ah")));
        if (std::isfinite(ranking.full.time_s))
            out.fullWords += QObject::tr(" at %1").arg(qs(clockText(ranking.full.time_s)));
        if (ranking.full.extrapolated) out.fullWords += QObject::tr(" (extrapolated)");
    } else {
        out.fullWords = QObject::tr(
            "What full is cannot be told: give the rated capacity on the battery card.");
    }
    out.advice = qs(ranking.advice);
    const double rated = shown_->analysis.battery.rated_Ah > 0 ? shown_->analysis.battery.rated_Ah
                                                               : ranking.full.charge_Ah;
    std::vector<bool> used(rules_.size(), false);
    for (const RankedRule& r : ranking.rules) {
        RuleRow row;
        for (std::size_t k = 0; k < rules_.size() && row.rule < 0; ++k)
            if (!used[k] && rules_[k].text == r.result.rule) {
                row.rule = static_cast<int>(k);
                used[k] = true;
            }
        row.text = qs(r.result.rule);
        if (const auto rule = parseRule(r.result.rule)) {
            for (const StopCondition& c : rule->conditions) {
                if (!row.words.isEmpty()) row.words += QObject::tr(", or "), row.label += " | ";
                row.words += qs(conditionWords(c));
                row.label += qs(conditionLabel(c));
            }
            if (!row.words.isEmpty()) row.words[0] = row.words[0].toUpper();
        }
        row.fired = r.result.fired == Fired::Yes;
        row.extrapolated = r.extrapolated;
        row.against = qs(r.words);
        if (row.fired || row.extrapolated) {
            row.time_s = r.result.time_s;
            row.stops = qs(clockText(r.result.time_s));
            row.charge = qs(fixed(r.result.charge_Ah, r.result.charge_Ah < 100 ? 3 : 2)) +
                         QString("\u202FAh");
            if (r.extrapolated) row.words += QObject::tr(", by the fit");
            if (std::isfinite(ranking.full.time_s) && std::isfinite(r.beyond_Ah) &&
                row.against != qs(phrase("at full"))) {
                // Short, with signs: the heading says against what.
                const double late = r.result.time_s - ranking.full.time_s;
                const QString moved = QString(r.beyond_Ah > 0 ? "+" : "−") +
                                      qs(shortValue(std::abs(r.beyond_Ah), "Ah"));
                row.against = std::abs(late) < 0.5
                                  ? moved
                                  : QString(late > 0 ? "+" : "−") +
                                        qs(durationText(std::abs(late))) + " · " + moved;
            }
            if (std::isfinite(r.result.temperature_C))
                row.temperature = qs(shortValue(r.result.temperature_C, "C"));
            if (rated > 0) row.share = r.beyond_Ah / rated;
        } else {
            row.stops = QString("–");
            row.charge = QString("–");
        }
        QStringList notes;
        for (const std::string& c : r.result.caveats) notes << qs(c);
        row.note = notes.join("\n");
        out.rows.push_back(std::move(row));
    }
    return out;
}

}  // namespace nk
