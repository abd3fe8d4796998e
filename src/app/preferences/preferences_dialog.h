// The card of preferences. It only shows and edits; the window puts them in force.
#pragma once

#include <QDialog>

#include "app/preferences/preferences.h"

class QCheckBox;
class QSpinBox;
class QComboBox;
class QLabel;
class QLineEdit;
class QPushButton;

namespace nk {

class PreferencesDialog : public QDialog {
    Q_OBJECT
  public:
    explicit PreferencesDialog(const Preferences& preferences, QWidget* parent = nullptr);
    /// What is chosen now; fields that cannot be read keep their old value (and cannot be
    /// accepted).
    Preferences preferences() const;

  private:
    void check();
    bool readable(QString* problem) const;

    Preferences before_;
    QComboBox* language_ = nullptr;
    QComboBox* decimal_ = nullptr;
    QComboBox* temperature_ = nullptr;
    QComboBox* charge_ = nullptr;
    QComboBox* look_ = nullptr;
    QLineEdit* voltage_ = nullptr;
    QLineEdit* voltageSteps_ = nullptr;
    QLineEdit* current_ = nullptr;
    QLineEdit* currentSteps_ = nullptr;
    QLineEdit* degrees_ = nullptr;
    QCheckBox* backups_ = nullptr;
    QSpinBox* backupRoom_ = nullptr;
    QLabel* problem_ = nullptr;
    QPushButton* keep_ = nullptr;
};

}  // namespace nk
