#include "rules.h"

#include <nlohmann/json.hpp>

#include "quantity/phrase.h"
#include "quantity/sentence.h"

namespace nk {

namespace {

using nlohmann::json;

template <class Rules>
Expected<Rules> read(BenchBook& book, const char* name,
                     const std::vector<RuleField<Rules>>& fields) {
    const auto text = book.setting(name);
    if (!text) return tl::unexpected<Error>(text.error());
    Rules out;
    const json j = json::parse(*text, nullptr, false);
    if (!j.is_object()) return out;
    for (const auto& f : fields)
        if (j.contains(f.id) && j[f.id].is_number()) {
            const double x = j[f.id].template get<double>();
            if (x >= f.least && x <= f.most) out.*f.value = x;
        }
    return out;
}

template <class Rules>
Expected<void> write(BenchBook& book, const char* name, const Rules& rules,
                     const std::vector<RuleField<Rules>>& fields) {
    json j = json::object();
    for (const auto& f : fields) {
        const double x = rules.*f.value;
        if (!(x >= f.least && x <= f.most))
            return fail(ErrorKind::InvalidArgument, phrase("This figure is not accepted."),
                        phrase(f.words), phrase("{} to {}.", f.least, f.most));
        j[f.id] = x;
    }
    return book.setSetting(name, j.dump());
}

}  // namespace

const std::vector<RuleField<VerdictRules>>& verdictFields() {
    using V = VerdictRules;
    static const std::vector<RuleField<V>> fields = {
        {"good", sentence("Good from this share of the rating on"), &V::good, 0.1, 1, true},
        {"weak", sentence("Weak under this share of the rating"), &V::weak, 0.05, 1, true},
        {"out", sentence("Out under this share of the rating"), &V::out, 0.01, 1, true},
        {"false_label", sentence("A new battery under this share of its label: the label is false"),
         &V::falseLabel, 0.05, 1, true},
        {"new_cycles", sentence("New for as many equivalent full cycles"), &V::newCycles, 1, 200,
         false},
        {"resistance_watch", sentence("Watch when its resistance is this many times its first"),
         &V::resistanceWatch, 1.05, 20, false},
        {"resistance_retire", sentence("Retire when its resistance is this many times its first"),
         &V::resistanceRetire, 1.05, 50, false},
        {"siblings", sentence("Weak under this share of its siblings' median"), &V::siblings, 0.05,
         1, true},
        {"imbalance", sentence("Charge lost to imbalance that counts, of the rating"),
         &V::imbalance, 0.001, 1, true},
        {"gain",
         sentence("Another reconditioning cycle is worth it from this gain on, of the rating"),
         &V::gain, 0.001, 0.5, true},
        {"self_discharge",
         sentence("Watch from this loss in 30 days of lying on, % (nickel: twice)"),
         &V::selfDischarge, 1, 100, false},
    };
    return fields;
}

const std::vector<RuleField<DueRules>>& dueFields() {
    using D = DueRules;
    static const std::vector<RuleField<D>> fields = {
        {"balance_days", sentence("Days between charges to the very end, for the balancer"),
         &D::balance_days, 7, 3650, false},
        {"nickel_refresh_days", sentence("Days between whole cycles of a nickel battery"),
         &D::nickelRefresh_days, 7, 3650, false},
        {"storage_check_days", sentence("Days on the shelf until its voltage is looked at"),
         &D::storageCheck_days, 7, 3650, false},
        {"retest_days", sentence("Days until its capacity is measured again"), &D::retest_days, 14,
         3650, false},
        {"rotation_days", sentence("Days unused until it is the next to be used"),
         &D::rotation_days, 1, 3650, false},
    };
    return fields;
}

Expected<VerdictRules> verdictRules(BenchBook& book) {
    return read(book, "verdict_rules", verdictFields());
}
Expected<DueRules> dueRules(BenchBook& book) {
    return read(book, "due_rules", dueFields());
}
Expected<void> setVerdictRules(BenchBook& book, const VerdictRules& rules) {
    return write(book, "verdict_rules", rules, verdictFields());
}
Expected<void> setDueRules(BenchBook& book, const DueRules& rules) {
    return write(book, "due_rules", rules, dueFields());
}

}  // namespace nk
