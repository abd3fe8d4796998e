// The readings of a battery as a table that sorts and filters, however many there are: a model, so
// that only the rows in sight cost anything.
#pragma once

#include <QAbstractTableModel>
#include <vector>

#include "app/battery/battery_page_presenter.h"

namespace nk {

class HistoryTable : public QAbstractTableModel {
    Q_OBJECT
  public:
    enum Column { kDay, kReading, kValue, kConditions, kFrom, kColumns };
    /// By what a column is sorted: the moment, the figure, else the words.
    static constexpr int kSortRole = Qt::UserRole;

    using QAbstractTableModel::QAbstractTableModel;

    /// `rows` live elsewhere until the next call.
    void setRows(const std::vector<HistoryRow>& rows);
    const HistoryRow& row(int k) const { return (*rows_)[static_cast<std::size_t>(k)]; }

    int rowCount(const QModelIndex& parent = {}) const override;
    int columnCount(const QModelIndex& parent = {}) const override;
    QVariant data(const QModelIndex& index, int role) const override;
    QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  private:
    const std::vector<HistoryRow>* rows_ = nullptr;
};

}  // namespace nk
