#include "edit.h"

#include <algorithm>

namespace nk {

namespace {

/// Split and joined steps need their times before the next edit is looked up.
void retime(const Recording& recording, Steps& steps) {
    const auto t = recording.time_s();
    for (std::size_t k = 0; k < steps.list.size(); ++k) {
        Step& s = steps.list[k];
        s.start_s = t[s.first];
        s.end_s = s.kind != StepKind::Gap && k + 1 < steps.list.size() ? t[steps.list[k + 1].first]
                                                                       : t[s.last];
    }
}

bool gap(const Step& s) {
    return s.kind == StepKind::Gap;
}

/// Does what the edit asks for. False when it does not fit.
bool act(const Recording& recording, Steps& steps, const StepEdit& edit) {
    const int at = steps.at(edit.at_s);
    if (at < 0) return false;
    const auto k = static_cast<std::size_t>(at);
    Step& s = steps.list[k];
    if (gap(s)) return false;  // nothing is known of it that could be edited
    if (edit.action == StepEdit::Action::Rename) {
        if (edit.kind == StepKind::Gap || s.kind == edit.kind) return false;
        s.kind = edit.kind;
        return true;
    }
    if (edit.action == StepEdit::Action::Split) {
        const std::size_t sample = recording.nearest(edit.at_s);
        if (sample <= s.first || sample > s.last) return false;
        Step second = s;
        second.first = sample;
        s.last = sample - 1;
        steps.list.insert(steps.list.begin() + at + 1, second);
        return true;
    }
    if (k + 1 >= steps.list.size() || gap(steps.list[k + 1])) return false;
    s.last = steps.list[k + 1].last;
    steps.list.erase(steps.list.begin() + at + 1);
    return true;
}

/// The last sample at or before a time; the first when there is none.
std::size_t lastAt(const Recording& recording, double t_s) {
    const auto t = recording.time_s();
    const auto after = std::upper_bound(t.begin(), t.end(), t_s) - t.begin();
    return after > 0 ? static_cast<std::size_t>(after) - 1 : 0;
}

EditedStep described(const Recording& recording, const Step& s) {
    return {recording.time_s()[s.first], recording.time_s()[s.last], s.kind};
}

/// The steps of `after` that `before` does not have, with all between them; empty when there are
/// none.
std::vector<EditedStep> difference(const Recording& recording, const Steps& before,
                                   const Steps& after) {
    const auto same = [](const Step& a, const Step& b) {
        return a.first == b.first && a.last == b.last && a.kind == b.kind;
    };
    const auto& a = before.list;
    const auto& b = after.list;
    const std::size_t most = std::min(a.size(), b.size());
    std::size_t head = 0;
    while (head < most && same(a[head], b[head])) ++head;
    std::size_t tail = 0;
    while (tail < most - head && same(a[a.size() - 1 - tail], b[b.size() - 1 - tail])) ++tail;
    std::vector<EditedStep> out;
    for (std::size_t k = head; k + tail < b.size(); ++k) out.push_back(described(recording, b[k]));
    return out;
}

/// Puts what an edit made in the place of whatever steps lie there.
void place(const Recording& recording, Steps& steps, const std::vector<EditedStep>& made) {
    std::vector<Step> parts;
    for (const EditedStep& e : made) {
        if (!(e.from_s <= e.to_s)) return;
        Step s;
        s.kind = e.kind;
        s.first = recording.lowerBound(e.from_s);
        s.last = lastAt(recording, e.to_s);
        if (!parts.empty() && !gap(s) && !gap(parts.back()))  // samples of one time
            s.first = std::max(s.first, parts.back().last + 1);
        if (s.first >= recording.size() || s.last < s.first) return;  // of another recording
        parts.push_back(s);
    }
    const std::size_t from = parts.front().first;
    const std::size_t to = parts.back().last;
    std::vector<Step> out;
    bool placed = false;
    const auto put = [&] {
        if (!placed) out.insert(out.end(), parts.begin(), parts.end());
        placed = true;
    };
    for (Step s : steps.list) {
        if (gap(s) ? s.last <= from : s.last < from) {
            out.push_back(s);
            continue;
        }
        if (!gap(s) && s.first < from) {  // what sticks out in front stays
            Step front = s;
            front.last = from - 1;
            out.push_back(front);
        }
        const bool behind = gap(s) ? s.first >= to : s.last > to;
        if (!behind) {
            // A step that is found just there keeps what was found of it.
            for (Step& part : parts)
                if (part.first == s.first && part.last == s.last) {
                    const StepKind kind = part.kind;
                    part = s;
                    part.kind = kind;
                }
            continue;
        }
        put();
        if (!gap(s)) s.first = std::max(s.first, to + 1);
        out.push_back(s);
    }
    put();
    steps.list = std::move(out);
}

}  // namespace

std::string toString(StepEdit::Action action) {
    return action == StepEdit::Action::Split  ? "split"
           : action == StepEdit::Action::Join ? "join"
                                              : "rename";
}

std::optional<StepEdit::Action> stepActionFrom(const std::string& name) {
    for (const auto action :
         {StepEdit::Action::Split, StepEdit::Action::Join, StepEdit::Action::Rename})
        if (name == toString(action)) return action;
    return std::nullopt;
}

std::vector<StepEdit> moveEdge(const Steps& steps, int index, double time_s) {
    if (index < 1 || index >= static_cast<int>(steps.list.size())) return {};
    const Step& before = steps.list[static_cast<std::size_t>(index) - 1];
    const Step& after = steps.list[static_cast<std::size_t>(index)];
    if (gap(before) || gap(after)) return {};
    if (time_s <= before.start_s || time_s >= after.end_s) return {};
    using Action = StepEdit::Action;
    return {{Action::Join, before.start_s, before.kind},
            {Action::Split, time_s, before.kind},
            {Action::Rename, before.start_s, before.kind},
            {Action::Rename, 0.5 * (time_s + after.end_s), after.kind}};
}

Steps applyEdits(const Recording& recording, const Battery& battery, Steps steps,
                 const std::vector<StepEdit>& edits) {
    if (edits.empty() || recording.empty()) return steps;
    std::vector<std::size_t> found;
    for (const Step& s : steps.list)
        if (!s.cutByHand) found.push_back(s.first);
    for (const StepEdit& edit : edits) {
        retime(recording, steps);
        if (edit.made.empty())
            (void)act(recording, steps, edit);
        else
            place(recording, steps, edit.made);
    }
    for (Step& s : steps.list) s.cutByHand = !std::ranges::binary_search(found, s.first);
    recount(recording, battery, steps);
    return steps;
}

std::vector<StepEdit> settleEdits(const Recording& recording, const Battery& battery,
                                  const Steps& steps, const std::vector<StepEdit>& edits) {
    std::vector<StepEdit> out;
    if (recording.empty()) return edits;
    Steps now = steps;
    for (const StepEdit& edit : edits) {
        const Steps before = now;
        now = applyEdits(recording, battery, std::move(now), {edit});
        StepEdit settled = edit;
        if (settled.made.empty()) settled.made = difference(recording, before, now);
        if (!settled.made.empty()) out.push_back(std::move(settled));
    }
    return out;
}

}  // namespace nk
