// One card of the findings panel: label, sentence, number with ±, lines, and links that point at
// the curve, explain the method, or copy the text.
#pragma once

#include <QFrame>

#include "report/cards.h"

class QLabel;

namespace nk {

class FindingCard : public QFrame {
    Q_OBJECT
  public:
    FindingCard(const Card& card, int index, QWidget* parent = nullptr);
    const Card& card() const { return card_; }
    void setSelected(bool selected);

  Q_SIGNALS:
    void evidenceRequested(int index);
    void actionRequested(int index);

  protected:
    void mousePressEvent(QMouseEvent* event) override;

  private:
    Card card_;
    int index_;
    QLabel* how_ = nullptr;
};

}  // namespace nk
