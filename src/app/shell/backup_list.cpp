#include "app/shell/backup_list.h"

#include <QDateTime>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/theme/word_label.h"

namespace nk {

BackupList::BackupList(const std::vector<BackupFile>& backups, QWidget* parent) : QDialog(parent) {
    setObjectName("backupList");
    setWindowTitle(tr("Bring a backup back"));
    resize(520, backups.empty() ? 120 : 360);
    auto* box = new QVBoxLayout(this);
    box->setContentsMargins(16, 14, 16, 12);
    auto* words = wordLabel(this);
    words->setText(
        backups.empty()
            ? tr("There is no backup yet. One is made every day the book is used, or by Back up "
                 "now.")
            : tr("The book becomes what it was then. As it is now it is kept in the folder of the "
                 "backups, so nothing is lost."));
    box->addWidget(words);
    table_ = new QTableWidget(static_cast<int>(backups.size()), 2, this);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setObjectName("backups");
    table_->setAccessibleName(tr("Backups, newest first"));
    table_->setHorizontalHeaderLabels({tr("Made"), tr("Size")});
    table_->verticalHeader()->hide();
    table_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table_->setSelectionBehavior(QAbstractItemView::SelectRows);
    table_->setSelectionMode(QAbstractItemView::SingleSelection);
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->setShowGrid(false);
    int row = 0;
    for (const BackupFile& b : backups) {
        const QDateTime at = QDateTime::fromSecsSinceEpoch(static_cast<qint64>(b.at_s));
        auto* made = new QTableWidgetItem(at.toString("d MMM yyyy, hh:mm"));
        made->setData(Qt::UserRole, QString::fromStdString(b.path.string()));
        table_->setItem(row, 0, made);
        auto* size =
            new QTableWidgetItem(QLocale().formattedDataSize(static_cast<qint64>(b.bytes), 1));
        size->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
        table_->setItem(row++, 1, size);
    }
    if (row > 0) table_->selectRow(0);
    table_->setVisible(row > 0);
    box->addWidget(table_, 1);
    if (row == 0) box->addStretch(1);
    auto* buttons = new QHBoxLayout;
    auto* cancel = new QPushButton(row > 0 ? tr("Cancel") : tr("Close"), this);
    auto* bring = new QPushButton(tr("Bring it back"), this);
    bring->setObjectName("restore");
    bring->setProperty("role", "primary");
    bring->setVisible(row > 0);
    buttons->addStretch(1);
    buttons->addWidget(cancel);
    buttons->addWidget(bring);
    box->addLayout(buttons);
    connect(cancel, &QPushButton::clicked, this, &QDialog::reject);
    connect(bring, &QPushButton::clicked, this, [this] {
        const QTableWidgetItem* item = table_->item(std::max(0, table_->currentRow()), 0);
        const QString path = item->data(Qt::UserRole).toString();
        accept();
        Q_EMIT restoreRequested(path);
    });
}

}  // namespace nk
