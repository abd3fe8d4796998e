// A battery's own model as the book keeps it: fitted from its recordings, with the fingerprint of
// what made it; a stale one is fitted anew.
#pragma once

#include <optional>
#include <stop_token>
#include <string>
#include <vector>

#include "book/bench_book.h"
#include "ownmodel/own_model.h"

namespace nk {

struct KeptModel {
    OwnModel model;
    std::vector<std::int64_t> learnedFrom;  ///< recordings, in the order of LeftOutLog::log
    std::vector<std::string> titles;
    std::string fingerprint;
};

/// The model in the book where its fingerprint still fits, else one fitted now (and kept where the
/// book can be written). Learned from at most six logs that move a tenth of the charge or more: the
/// newest, and among the older ones those of other rates. Errors: no such battery, stopped,
/// as fitOwnModel().
Expected<KeptModel> ownModelOf(BenchBook& book, std::int64_t batteryId, std::stop_token stop = {});

/// As it is kept: JSON. Nothing when it is none of ours, or of a chemistry that is not there.
std::string keptModelText(const KeptModel& kept);
std::optional<KeptModel> keptModelIn(const std::string& text);

}  // namespace nk
