// Many files at once: one list with a result per file, and a cancel button.
#pragma once

#include <QDialog>

class QPushButton;
class QTableWidget;

namespace nk {

class ImportList : public QDialog {
    Q_OBJECT
  public:
    ImportList(const QString& first, const QStringList& files, QWidget* parent = nullptr);
    void setResult(int row, const QString& words, bool good);
    /// Nothing more will come: Cancel becomes Close.
    void finish();

  Q_SIGNALS:
    void cancelRequested();

  private:
    QTableWidget* table_ = nullptr;
    QPushButton* button_ = nullptr;
    bool finished_ = false;
};

}  // namespace nk
