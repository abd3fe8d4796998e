// Which sheet of labels, and where on it to begin.
#pragma once

#include <QDialog>

#include "app/life/label_sheet.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QLabel;
class QPushButton;
class QSpinBox;

namespace nk {

class LabelDialog : public QDialog {
    Q_OBJECT
  public:
    explicit LabelDialog(int labels, QWidget* parent = nullptr);

    LabelSheet sheet() const;
    int first() const;
    bool outlines() const;

  private:
    void tell();

    int labels_;
    QComboBox* kind_ = nullptr;
    QSpinBox* columns_ = nullptr;
    QSpinBox* rows_ = nullptr;
    std::vector<QDoubleSpinBox*> lengths_;
    QSpinBox* first_ = nullptr;
    QCheckBox* outlines_ = nullptr;
    QLabel* words_ = nullptr;
    QPushButton* save_ = nullptr;
};

}  // namespace nk
