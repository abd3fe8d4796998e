// Names come from files and books of others: labels and tooltips show them as they are, never as
// markup.
#pragma once

#include <QObject>

namespace nk {

/// An event filter for the whole application: labels that would guess take their text as plain,
/// tooltips too. Pages of the program's own (help) are no labels.
class PlainWords : public QObject {
    Q_OBJECT
  public:
    /// Installs it once; it lives as long as the application.
    static void install();

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    explicit PlainWords(QObject* parent) : QObject(parent) {}
};

}  // namespace nk
