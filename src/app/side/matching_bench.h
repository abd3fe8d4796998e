// The matching bench: modules of the shelf or of a table into groups that hold alike, as tiles that
// are dragged to exchange them while every figure follows.
#pragma once

#include <QWidget>

#include "app/job/job.h"
#include "app/session/session.h"
#include "history/matching.h"

class QLabel;
class QPushButton;
class QSlider;
class QSpinBox;

namespace nk {

class ModuleBoard;

/// The modules that the book knows: batteries of the kind of `like` (0: the most frequent kind)
/// that are in use, with the newest capacity and resistance of each, from logs or by hand.
Expected<std::vector<MatchModule>> modulesOfBook(BenchBook& book, std::int64_t like);

class MatchingBench : public QWidget {
    Q_OBJECT
  public:
    explicit MatchingBench(Session& session, QWidget* parent = nullptr);

    /// Takes the shelf's modules of the shown battery's kind, unless some lie there already.
    void begin();
    void setModules(std::vector<MatchModule> modules, const QString& from);
    void match();
    void applyColours() { update(); }
    /// The made-up table that ships with the program.
    void showExample();
    bool busy() const { return job_.running(); }
    const Matching& matching() const { return matching_; }
    ModuleBoard* board() const { return board_; }
    /// As HTML or PDF, by the file's ending.
    Expected<void> writeSheet(const QString& path) const;

  Q_SIGNALS:
    void left();

  private:
    void openTable();
    void askShape();
    void setShape(std::vector<int> shape);
    void rank();
    void saveSheet();
    void tell();

    Session& session_;
    Job job_{this};
    std::vector<MatchModule> modules_;
    std::vector<int> shape_;  ///< modules of each group, where they are not alike
    Matching matching_;
    QLabel* title_ = nullptr;
    QSpinBox* series_ = nullptr;
    QSpinBox* parallel_ = nullptr;
    QPushButton* unlike_ = nullptr;
    QSlider* weight_ = nullptr;
    QLabel* words_ = nullptr;
    QPushButton* sheet_ = nullptr;
    ModuleBoard* board_ = nullptr;
};

}  // namespace nk
