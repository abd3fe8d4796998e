// The step ribbon under the lanes: one block a step with its name in it, told apart by pattern and
// word as well as colour. Click or arrow keys select a step; Enter zooms to it.
#pragma once

#include <QWidget>

#include "app/plot/time_scale.h"
#include "steps/step.h"

namespace nk {

class Ribbon : public QWidget {
    Q_OBJECT
  public:
    explicit Ribbon(QWidget* parent = nullptr);

    void setSteps(const Steps& steps);
    void setView(double low_s, double high_s, int left, int right, SampleAxisPtr axis = nullptr);
    int selected() const { return selected_; }
    void select(int index);
    QSize sizeHint() const override { return {400, 30}; }

  Q_SIGNALS:
    void stepSelected(int index);
    void stepActivated(int index);
    /// Edits by hand, to be kept in the book: a step cut at a time, joined with its next, renamed,
    /// or the edge before `index` moved to a time.
    void splitRequested(int index, double time_s);
    void joinRequested(int index);
    void renameRequested(int index, nk::StepKind kind);
    void edgeMoved(int index, double time_s);
    /// To be laid over other steps.
    void besideRequested(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void contextMenuEvent(QContextMenuEvent* event) override;
    bool event(QEvent* event) override;

  private:
    void showMenu(int index, double time_s, const QPoint& at);
    /// The step whose left edge is near x, or −1.
    int edgeAt(int x) const;

    int stepAt(int x) const;

    Steps steps_;
    TimeScale scale_;
    int selected_ = -1;
    int edge_ = -1;          ///< the edge that is being dragged
    double edgeTime_s_ = 0;  ///< where it is now
};

}  // namespace nk
