// Find anything by typing: every action of the menu, every station, every recording. Words in any
// order; Up, Down and Enter choose.
#pragma once

#include <QDialog>
#include <functional>
#include <vector>

class QLineEdit;
class QTreeWidget;

namespace nk {

/// Batteries, logs and stations first; what changes data runs only where it was named whole or
/// chosen by hand; undo and redo are found by their own word alone.
enum class FinderKind { Battery, Log, Station, Action, Change, Undo };

struct FinderEntry {
    QString name;  ///< "Undo: add Night 14", "Go to Dew heater 2 · Full cycle"
    QString keys;  ///< its shortcut, if it has one
    std::function<void()> run;
    FinderKind kind = FinderKind::Action;
    QString word = {};  ///< of undo and redo: "undo"
};

class ActionFinder : public QDialog {
    Q_OBJECT
  public:
    explicit ActionFinder(std::vector<FinderEntry> entries, QWidget* parent = nullptr);

  protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

  private:
    void list(const QString& typed);
    void choose();

    std::vector<FinderEntry> entries_;
    QLineEdit* typed_ = nullptr;
    QTreeWidget* found_ = nullptr;
};

}  // namespace nk
