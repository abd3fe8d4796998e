// The rules of the verdict and the periods of the due list, seen and changed.
#pragma once

#include <QDialog>

#include "history/rules.h"

class QDoubleSpinBox;

namespace nk {

class RulesDialog : public QDialog {
    Q_OBJECT
  public:
    RulesDialog(const VerdictRules& verdict, const DueRules& due, QWidget* parent = nullptr);

    VerdictRules verdict() const;
    DueRules due() const;

  private:
    void fill(const VerdictRules& verdict, const DueRules& due);

    std::vector<QDoubleSpinBox*> verdict_, due_;
};

}  // namespace nk
