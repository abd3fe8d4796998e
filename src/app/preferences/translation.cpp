#include "app/preferences/translation.h"

#include <QApplication>
#include <QDir>
#include <QFile>
#include <QLibraryInfo>
#include <QTranslator>
#include <memory>

namespace nk {

namespace {

/// The text between the quotes of a line, with its escapes resolved.
QByteArray unquoted(const QByteArray& line) {
    const auto first = line.indexOf('"');
    const auto last = line.lastIndexOf('"');
    QByteArray out;
    for (auto k = first + 1; first >= 0 && k < last; ++k) {
        if (line[k] != '\\' || k + 1 >= last) {
            out += line[k];
            continue;
        }
        const char escape = line[++k];
        out += escape == 'n' ? '\n' : escape == 't' ? '\t' : escape;
    }
    return out;
}

/// Looks a sentence up whatever its context: one sentence has one translation.
class CatalogueTranslator : public QTranslator {
  public:
    CatalogueTranslator(std::shared_ptr<const Catalogue> words, QObject* parent)
        : QTranslator(parent), words_(std::move(words)) {}
    QString translate(const char*, const char* source, const char*, int) const override {
        return QString::fromUtf8(words_->value(QByteArray(source)));
    }
    bool isEmpty() const override { return words_->isEmpty(); }

  private:
    std::shared_ptr<const Catalogue> words_;
};

}  // namespace

Catalogue readCatalogue(const QByteArray& po) {
    Catalogue out;
    QByteArray id, words;
    bool fuzzy = false;
    QByteArray* into = nullptr;
    const auto keep = [&] {
        if (!id.isEmpty() && !words.isEmpty() && !fuzzy) out.insert(id, words);
        id.clear(), words.clear();
        fuzzy = false;
    };
    for (const QByteArray& raw : po.split('\n')) {
        const QByteArray line = raw.trimmed();
        if (line.startsWith("#") || line.startsWith("msgid")) {
            if (into == &words) keep(), into = nullptr;
            if (line.startsWith("#,") && line.contains("fuzzy")) fuzzy = true;
        }
        if (line.startsWith("msgid"))
            into = &id;
        else if (line.startsWith("msgstr"))
            into = &words;
        else if (!line.startsWith('"'))
            continue;
        if (into != nullptr) *into += unquoted(line);
    }
    keep();
    return out;
}

QStringList Translation::available() {
    QStringList out = {"en"};
    for (const QString& file : QDir(":/words").entryList({"*.po"}))
        out << file.left(file.indexOf('.'));
    return out;
}

std::function<std::string(const char*)> Translation::use(const QString& language) {
    static std::unique_ptr<QTranslator> ours, qts;
    for (const auto* installed : {&ours, &qts})
        if (*installed) QCoreApplication::removeTranslator(installed->get());
    ours.reset(), qts.reset();
    QFile file(":/words/" + language + ".po");
    if (language == "en" || !file.open(QIODevice::ReadOnly)) return {};
    const auto words = std::make_shared<const Catalogue>(readCatalogue(file.readAll()));
    ours = std::make_unique<CatalogueTranslator>(words, nullptr);
    QCoreApplication::installTranslator(ours.get());
    auto theirs = std::make_unique<QTranslator>();
    if (theirs->load("qtbase_" + language, QLibraryInfo::path(QLibraryInfo::TranslationsPath))) {
        QCoreApplication::installTranslator(theirs.get());
        qts = std::move(theirs);
    }
    return [words](const char* english) { return words->value(QByteArray(english)).toStdString(); };
}

}  // namespace nk
