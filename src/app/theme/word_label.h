// Labels for words whose length nobody knows: sentences wrap and can be copied, names end in an
// ellipsis. Neither ever makes the window wider.
#pragma once

#include <QLabel>
#include <QString>

namespace nk {

/// One line, usually a name: what has no room ends in an ellipsis, and the whole is its tooltip.
class NameLabel : public QLabel {
  public:
    explicit NameLabel(QWidget* parent = nullptr) : NameLabel(QString(), parent) {}
    explicit NameLabel(const QString& text, QWidget* parent = nullptr);
    QSize minimumSizeHint() const override;

  protected:
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;
};

/// A label for sentences: plain text that wraps and can be copied. `role`: muted, heading, hazard,
/// title or empty.
QLabel* wordLabel(QWidget* parent, const char* name = "", const char* role = "");

/// The same words with a space that no line ends at between a figure and its per cent.
QString keepFigures(QString words);

/// The same words with places in which a line may end within words of more than 40 characters.
QString breakable(const QString& words);

}  // namespace nk
