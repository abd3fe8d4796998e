// Modules as tiles in their groups, each with a bar of its capacity and one of its resistance; a
// tile dragged onto another changes places with it, by mouse or keyboard.
#pragma once

#include <QWidget>

#include "history/matching.h"

namespace nk {

class ModuleBoard : public QWidget {
    Q_OBJECT
  public:
    explicit ModuleBoard(QWidget* parent = nullptr);

    void setMatching(const std::vector<MatchModule>& modules, const Matching& matching);
    /// As they lie now: groups in their order, then spares, indices into the modules.
    const std::vector<std::vector<int>>& groups() const { return groups_; }
    const std::vector<int>& spares() const { return spares_; }
    QRect tile(int module) const;
    bool hasHeightForWidth() const override { return true; }
    int heightForWidth(int width) const override;

  Q_SIGNALS:
    void changed();

  protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

  private:
    struct Place {
        int module;
        QRect rect;
    };
    int layOut(int width);
    int moduleAt(const QPoint& at) const;
    int& slotOf(int module);
    void exchange(int a, int b);
    QString figuresOf(std::size_t group) const;

    std::vector<MatchModule> modules_;
    std::vector<std::vector<int>> groups_;
    std::vector<int> spares_;
    std::vector<Place> places_;
    std::vector<QRect> heads_;  ///< of each group, then of the spares
    double meanGroup_Ah_ = 0, largest_Ah_ = 0, largest_ohm_ = 0;
    int held_ = -1;     ///< dragged, or picked up by the keyboard
    int current_ = -1;  ///< of the keyboard
    QPoint pointer_;
    bool dragging_ = false;
};

}  // namespace nk
