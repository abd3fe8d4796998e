#include "app/battery/history_table.h"

namespace nk {

void HistoryTable::setRows(const std::vector<HistoryRow>& rows) {
    beginResetModel();
    rows_ = &rows;
    endResetModel();
}

int HistoryTable::rowCount(const QModelIndex& parent) const {
    return parent.isValid() || rows_ == nullptr ? 0 : static_cast<int>(rows_->size());
}

int HistoryTable::columnCount(const QModelIndex& parent) const {
    return parent.isValid() ? 0 : kColumns;
}

QVariant HistoryTable::data(const QModelIndex& index, int role) const {
    if (!index.isValid()) return {};  // a view asks for its current index, which may be none
    const HistoryRow& r = row(index.row());
    const QString* cells[] = {&r.day, &r.reading, &r.value, &r.conditions, &r.standing};
    if (role == kSortRole && index.column() == kDay) return r.at_s;
    if (role == kSortRole && index.column() == kValue) return r.number;
    if (role == Qt::DisplayRole || role == Qt::ToolTipRole || role == kSortRole)
        return *cells[index.column()];
    if (role == Qt::TextAlignmentRole && index.column() == kValue)
        return QVariant(Qt::AlignRight | Qt::AlignVCenter);
    return {};
}

QVariant HistoryTable::headerData(int section, Qt::Orientation orientation, int role) const {
    if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
    const QString heads[] = {tr("Day"), tr("Reading"), tr("Value"), tr("Conditions"), tr("From")};
    return heads[section];
}

}  // namespace nk
