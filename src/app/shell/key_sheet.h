// All keys on one sheet: those of the menu as they are now, and those of the parts of the window.
#pragma once

#include <QDialog>
#include <utility>
#include <vector>

namespace nk {

class KeySheet : public QDialog {
    Q_OBJECT
  public:
    /// Name and keys of the menu's actions.
    explicit KeySheet(const std::vector<std::pair<QString, QString>>& actions,
                      QWidget* parent = nullptr);
};

}  // namespace nk
