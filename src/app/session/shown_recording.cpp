#include "app/session/shown_recording.h"

#include <algorithm>

#include "quantity/phrase.h"

namespace nk {

std::vector<Card> cardsOf(const ShownRecording& shown) {
    std::vector<Card> out;
    for (auto& list : {correctionCards(shown.corrections, currentStyle()),
                       checkCards(shown.offers, currentStyle()),
                       makeCards(*shown.recording, shown.analysis, currentStyle())})
        out.insert(out.end(), list.begin(), list.end());
    std::ranges::stable_sort(out, std::greater(),
                             [](const Card& c) { return c.tone == CardTone::Hazard; });
    return out;
}

}  // namespace nk
