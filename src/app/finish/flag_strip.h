// Stop rules as flags above the lanes: each stands at the moment its rule ends the charge. A flag
// is dragged with the mouse, or moved with the arrow keys; rules that do not fire are parked at the
// left edge.
#pragma once

#include <QWidget>
#include <vector>

#include "app/plot/time_scale.h"

namespace nk {

struct Flag {
    int rule = -1;
    double time_s = 0;  ///< NaN: does not fire
    QString label;
    bool best = false;
    bool movable = true;
    QString tip;
};

class FlagStrip : public QWidget {
    Q_OBJECT
  public:
    explicit FlagStrip(QWidget* parent = nullptr);

    void setFlags(std::vector<Flag> flags);
    void setView(double low_s, double high_s, int left, int right);
    void setFull(double time_s, const QString& words);
    int selectedRule() const { return selected_; }
    void select(int rule);
    /// Where a flag's pennant is drawn, for tests and tooltips.
    QRect flagRect(int rule) const;

  Q_SIGNALS:
    void flagSelected(int rule);
    void flagDragged(int rule, double time_s);
    void flagDropped(int rule);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    bool event(QEvent* event) override;

  private:
    struct Place {
        QRect box;
        int stem = 0;  ///< x of the moment; −1 when parked
    };
    void arrange();
    int flagAt(const QPoint& p) const;

    std::vector<Flag> flags_;
    std::vector<Place> places_;
    TimeScale scale_;
    double full_s_ = 0;
    QString fullWords_;
    int selected_ = -1;
    int dragged_ = -1;
    bool moved_ = false;
    double grab_ = 0;
};

}  // namespace nk
