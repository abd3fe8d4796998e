// What a change of the book was, as an identifier with its arguments. The sentence is made when it
// is shown, in the language of whoever looks.
#pragma once

#include <string>
#include <vector>

namespace nk {

struct ChangeLabel {
    std::string id;  ///< one of those of change_label.cpp
    std::vector<std::string> arguments = {};
};

/// As it is stored: a JSON list of the identifier and the arguments.
std::string labelText(const ChangeLabel& label);

/// The sentence for a stored label, in the language of this thread. Books of schemas before 5 hold
/// sentences: they are given as they are. Nothing of it can be more than one line of plain words.
std::string labelWords(const std::string& stored);

}  // namespace nk
