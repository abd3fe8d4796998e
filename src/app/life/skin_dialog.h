// A look at a battery: what can be seen, felt or smelt, ticked.
#pragma once

#include <QDialog>

#include "history/skin_check.h"

class QCheckBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace nk {

class SkinDialog : public QDialog {
    Q_OBJECT
  public:
    explicit SkinDialog(const QString& battery, QWidget* parent = nullptr);

    std::vector<std::string> signs() const;
    QString note() const;

  private:
    void tell();

    std::vector<QCheckBox*> boxes_;
    QLineEdit* note_ = nullptr;
    QLabel* words_ = nullptr;
    QPushButton* keep_ = nullptr;
};

}  // namespace nk
