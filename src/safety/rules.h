// The rules of the gate as a table: what each says and where it is from (docs/gate.md is made from
// it, and every refusal names one).
#pragma once

#include <string>
#include <string_view>
#include <vector>

namespace nk {

struct GateRule {
    std::string_view id;      ///< as in a refusal's JSON
    std::string_view says;    ///< English; one sentence
    std::string_view source;  ///< a standard, the chemistry's file, "common practice, no source", …
};

const std::vector<GateRule>& gateRules();
/// The rule with this id; asserts that there is one.
const GateRule& gateRule(std::string_view id);

/// docs/gate.md: the rules, and the limits of every chemistry with their sources.
std::string gateRulesPage();

}  // namespace nk
