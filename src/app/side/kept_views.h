// Views of Side by side that are kept in the book under a name.
#pragma once

#include <string>
#include <vector>

#include "app/side/side_presenter.h"

namespace nk {

struct KeptView {
    QString name;
    SideChoice choice;
};

/// Of a book's setting; what is damaged or of another kind is passed over. Views from before steps
/// could be chosen ("recordings", shifts of two figures) are read too.
std::vector<KeptView> readViews(const std::string& text);
std::string writeViews(const std::vector<KeptView>& views);

}  // namespace nk
