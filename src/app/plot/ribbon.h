// The step ribbon under the lanes: one block a step with its name in it, told apart by pattern and
// word as well as colour. Click or arrow keys select a step; Enter zooms to it.
#pragma once

#include <QWidget>

#include "steps/step.h"

namespace nk {

class Ribbon : public QWidget {
    Q_OBJECT
  public:
    explicit Ribbon(QWidget* parent = nullptr);

    void setSteps(const Steps& steps);
    void setView(double low_s, double high_s, int left, int right);
    int selected() const { return selected_; }
    void select(int index);
    QSize sizeHint() const override { return {400, 30}; }

  Q_SIGNALS:
    void stepSelected(int index);
    void stepActivated(int index);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    bool event(QEvent* event) override;

  private:
    double xOf(double time_s) const;
    int stepAt(int x) const;

    Steps steps_;
    double low_ = 0, high_ = 1;
    int left_ = 52, right_ = 400;
    int selected_ = -1;
};

}  // namespace nk
