// Edits of steps made by hand. An edit says what was asked for (split here, join these), and, once
// it was applied, what came of it: the stretch of the recording that it changed and the steps in
// it. From then on that result holds, whatever another detector or another rated capacity would
// cut.
#pragma once

#include <vector>

#include "step.h"

namespace nk {

/// One step as an edit made it: the times of its first and last sample.
struct EditedStep {
    double from_s = 0, to_s = 0;
    StepKind kind = StepKind::Rest;
    bool operator==(const EditedStep&) const = default;
};

struct StepEdit {
    enum class Action { Split, Join, Rename } action = Action::Split;
    double at_s = 0;  ///< where to split, or a time inside the step to join with its next or rename
    StepKind kind = StepKind::Rest;  ///< for Rename
    /// What the edit made, in order of time; empty: not applied yet. Steps outside the stretch from
    /// the first to the last of them are left as they are found.
    std::vector<EditedStep> made = {};
    bool operator==(const StepEdit&) const = default;
};

/// Identifiers for storage: split, join, rename.
std::string toString(StepEdit::Action action);
std::optional<StepEdit::Action> stepActionFrom(const std::string& name);

/// The edits that move the edge before step `index` to `time_s`: joined, cut anew, and both parts
/// named as they were. Empty when the time is not inside the two steps, or one of them is a gap:
/// silence has no edge that can be moved.
std::vector<StepEdit> moveEdge(const Steps& steps, int index, double time_s);

/// Applies edits in order and counts everything anew. Edits that do not fit are passed over.
Steps applyEdits(const Recording& recording, const Battery& battery, Steps steps,
                 const std::vector<StepEdit>& edits);

/// The edits with what each of them makes of `steps` written into it; those that have it already
/// keep it, those that change nothing are left out.
std::vector<StepEdit> settleEdits(const Recording& recording, const Battery& battery,
                                  const Steps& steps, const std::vector<StepEdit>& edits);

}  // namespace nk
