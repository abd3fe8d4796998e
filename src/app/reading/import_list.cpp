#include "app/reading/import_list.h"

#include <QFileInfo>
#include <QHeaderView>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

#include "app/theme/theme.h"

namespace nk {

ImportList::ImportList(const QString& first, const QStringList& files, QWidget* parent)
    : QDialog(parent) {
    setObjectName("importList");
    setWindowTitle(tr("Reading %1 logs").arg(files.size() + 1));
    resize(620, 360);
    auto* box = new QVBoxLayout(this);
    table_ = new QTableWidget(static_cast<int>(files.size()) + 1, 2, this);
    table_->setTabKeyNavigation(false);  // Tab leads on to the next part
    table_->setObjectName("importResults");
    table_->setAccessibleName(tr("Files and their results"));
    table_->setHorizontalHeaderLabels({tr("File"), tr("Result")});
    table_->verticalHeader()->hide();
    table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table_->horizontalHeader()->setSectionResizeMode(1, QHeaderView::Stretch);
    table_->setColumnWidth(0, 220);
    table_->setWordWrap(true);
    for (int k = 0; k < table_->rowCount(); ++k) {
        table_->setItem(k, 0,
                        new QTableWidgetItem(k == 0 ? first : QFileInfo(files[k - 1]).fileName()));
        table_->setItem(k, 1, new QTableWidgetItem(tr("waits")));
    }
    box->addWidget(table_);
    button_ = new QPushButton(tr("Cancel the rest"), this);
    button_->setObjectName("importListButton");
    box->addWidget(button_, 0, Qt::AlignRight);
    connect(button_, &QPushButton::clicked, this, [this] {
        if (finished_)
            accept();
        else
            Q_EMIT cancelRequested();
    });
}

void ImportList::setResult(int row, const QString& words, bool good) {
    if (row < 0 || row >= table_->rowCount()) return;
    auto* item = table_->item(row, 1);
    item->setText(good ? tr("on the shelf, %1").arg(words) : words);
    if (!good) item->setForeground(currentTheme().hazard);
    table_->resizeRowToContents(row);
    table_->scrollToItem(item);
}

void ImportList::finish() {
    finished_ = true;
    button_->setText(tr("Close"));
    for (int k = 0; k < table_->rowCount(); ++k)
        if (table_->item(k, 1)->text() == tr("waits"))
            table_->item(k, 1)->setText(tr("not read: cancelled"));
}

}  // namespace nk
