#include "app/shell/table_habits.h"

#include <QApplication>
#include <QClipboard>
#include <QHeaderView>
#include <QSettings>
#include <QShortcut>
#include <QTableView>
#include <set>

#include "report/export.h"

namespace nk {

QString tableText(const QTableView& table) {
    std::set<int> rows;
    for (const QModelIndex& index : table.selectionModel()->selectedRows())
        rows.insert(index.row());
    std::vector<std::string> cells;
    const QAbstractItemModel& model = *table.model();
    for (int c = 0; c < model.columnCount(); ++c)
        cells.push_back(model.headerData(c, Qt::Horizontal).toString().toStdString());
    std::string out = tsvRow(cells);
    for (int r = 0; r < model.rowCount(); ++r) {
        if (rows.size() > 1 && !rows.contains(r)) continue;
        for (int c = 0; c < model.columnCount(); ++c)
            cells[static_cast<std::size_t>(c)] = model.index(r, c).data().toString().toStdString();
        out += tsvRow(cells);
    }
    return QString::fromStdString(out);
}

void giveHabits(QTableView* table, const QString& name) {
    auto* copy = new QShortcut(QKeySequence::Copy, table);
    copy->setContext(Qt::WidgetWithChildrenShortcut);
    QObject::connect(copy, &QShortcut::activated, table,
                     [table] { QApplication::clipboard()->setText(tableText(*table)); });
    QHeaderView* head = table->horizontalHeader();
    const QString key = "columns/" + name;
    const QVariantList kept = QSettings().value(key).toList();
    if (kept.size() == head->count())
        for (int c = 0; c < head->count(); ++c)
            if (head->sectionResizeMode(c) == QHeaderView::Interactive)
                head->resizeSection(c, std::clamp(kept[c].toInt(), 24, 800));
    QObject::connect(head, &QHeaderView::sectionResized, table, [head, key](int c, int, int) {
        if (head->sectionResizeMode(c) != QHeaderView::Interactive) return;
        QVariantList widths;
        for (int k = 0; k < head->count(); ++k) widths << head->sectionSize(k);
        QSettings().setValue(key, widths);
    });
}

}  // namespace nk
