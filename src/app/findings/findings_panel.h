// The findings panel at the right: cards in plain words, hazards first.
#pragma once

#include <QWidget>
#include <vector>

#include "report/cards.h"

class QVBoxLayout;
class QLabel;
class QPushButton;
class QScrollArea;

namespace nk {

class FindingCard;

class FindingsPanel : public QWidget {
    Q_OBJECT
  public:
    explicit FindingsPanel(QWidget* parent = nullptr);

    void setCards(std::vector<Card> cards);
    const std::vector<Card>& cards() const { return cards_; }
    void selectCard(int index);
    void setHeading(const QString& words);

  Q_SIGNALS:
    void evidenceRequested(int index);
    void actionRequested(int index);
    void sheetRequested();

  private:
    /// A log of hundreds of cycles has thousands of cards; widgets are made for those asked for.
    static constexpr std::size_t kBatch = 24;
    void showMore();

    std::vector<Card> cards_;
    std::vector<FindingCard*> widgets_;
    QVBoxLayout* list_ = nullptr;
    QPushButton* sheet_ = nullptr;
    QPushButton* more_ = nullptr;
    QScrollArea* scroll_ = nullptr;
    QLabel* heading_ = nullptr;
};

}  // namespace nk
