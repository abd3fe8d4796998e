// Many equal batteries at once, by the keyboard alone: what they all are stands above; each line is
// a serial number and, behind a semicolon, what is written on it.
#pragma once

#include <QDialog>

#include "book/bench_book.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QListWidget;
class QPushButton;
class QSpinBox;

namespace nk {

struct IntakeItem {
    Battery battery;
    BatteryLife life;
};

class IntakeDialog : public QDialog {
    Q_OBJECT
  public:
    explicit IntakeDialog(const std::vector<BatteryEntry>& have, QWidget* parent = nullptr);

    std::vector<IntakeItem> items() const;
    bool labelsWanted() const { return labels_; }

  private:
    void addLine();
    void tell();

    std::vector<std::string> names_;                  ///< that are in the book
    std::vector<std::pair<QString, QString>> lines_;  ///< serial, words
    bool labels_ = false;
    QLineEdit* name_ = nullptr;
    QComboBox* chemistry_ = nullptr;
    QSpinBox* series_ = nullptr;
    QLineEdit* rated_ = nullptr;
    QLineEdit* line_ = nullptr;
    QListWidget* list_ = nullptr;
    QLabel* words_ = nullptr;
    QPushButton* keep_ = nullptr;
    QPushButton* print_ = nullptr;
};

}  // namespace nk
