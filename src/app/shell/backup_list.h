// The backups of a book, newest first, to choose one to bring back.
#pragma once

#include <QDialog>
#include <vector>

#include "book/backups.h"

class QTableWidget;

namespace nk {

class BackupList : public QDialog {
    Q_OBJECT
  public:
    explicit BackupList(const std::vector<BackupFile>& backups, QWidget* parent = nullptr);

  Q_SIGNALS:
    void restoreRequested(const QString& backup);

  private:
    QTableWidget* table_ = nullptr;
};

}  // namespace nk
