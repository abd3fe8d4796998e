// The program's words in another language. One catalogue serves the window's tr() and the core's
// phrase(): a gettext .po file in the resources (docs/translate.md).
#pragma once

#include <QByteArray>
#include <QHash>
#include <QStringList>
#include <functional>
#include <string>

namespace nk {

/// English sentences and their translations; sentences without one are left out.
using Catalogue = QHash<QByteArray, QByteArray>;

/// Reads the text of a .po file: msgid and msgstr with C escapes over any number of lines; entries
/// marked fuzzy are left out.
Catalogue readCatalogue(const QByteArray& po);

class Translation {
  public:
    /// Languages there is a catalogue for, and English.
    static QStringList available();
    /// Speaks `language` in all windows made from now on; returns the core's translator for it
    /// (empty for English).
    static std::function<std::string(const char*)> use(const QString& language);
};

}  // namespace nk
