// A bench card on the screen: what to set with its reasons, the list to tick, cautions.
#pragma once

#include <QWidget>

#include "app/plan/bench_card.h"

class QCheckBox;
class QVBoxLayout;

namespace nk {

class CardView : public QWidget {
    Q_OBJECT
  public:
    explicit CardView(QWidget* parent = nullptr);
    /// Ticks of lines that are still on the list stay.
    void setCard(const BenchCard& card);
    void clear();
    QStringList ticked() const;
    QStringList open() const;
    static constexpr int kMostRows = 200;

  private:
    QVBoxLayout* box_ = nullptr;
    std::vector<QCheckBox*> ticks_;
};

}  // namespace nk
