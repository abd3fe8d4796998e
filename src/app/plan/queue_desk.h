// The queue at work: bars that can be dragged, what runs now with its real end, what comes next,
// modules that are taken out. Kept in the book.
#pragma once

#include <QWidget>
#include <optional>

#include "app/job/job.h"
#include "app/session/session.h"
#include "history/kept_queue.h"

class QLabel;
class QVBoxLayout;

namespace nk {

class QueueBars;

class QueueDesk : public QWidget {
    Q_OBJECT
  public:
    explicit QueueDesk(Session& session, QWidget* parent = nullptr);

    /// New modules: a new queue from now on.
    void setModules(std::vector<QueueModule> modules);
    bool empty() const { return wish_.modules.empty(); }
    /// Figures of the form; what has been done stays.
    void setFigures(const std::vector<ChargerCard>& chargers, int cycles, const Presence& present,
                    bool unattended);
    /// Takes the queue out of the book, once a book; true: it did.
    bool takeKept();
    void forgetBook() { takenFrom_.clear(); }

    bool busy() const { return job_.running(); }
    const std::optional<QueuePlan>& plan() const { return plan_; }
    const QueueWish& wish() const { return wish_; }
    /// Why there is no plan; none: all is well.
    const std::optional<Error>& problem() const { return problem_; }
    /// Local time, s; a test may set it.
    void setClock(double now_s) { clock_s_ = now_s; }
    void applyColours();

  Q_SIGNALS:
    /// A plan or a problem is there.
    void planned();

  private:
    void replan(bool keep);
    void drawNow();
    void addLine(const QString& words, const QString& way, const char* name,
                 std::function<void()> go, const QString& way2 = {},
                 std::function<void()> go2 = {});
    double now() const;
    void lookForLogs();

    Session& session_;
    Job job_{this};
    QueueWish wish_;
    std::optional<QueuePlan> plan_;
    std::optional<Error> problem_;
    std::string takenFrom_;
    double clock_s_ = 0;
    QueueBars* bars_ = nullptr;
    QVBoxLayout* list_ = nullptr;
};

}  // namespace nk
