// What a table of the program does without being told: Ctrl+C copies it as tab-separated text, and
// column widths that were changed by hand are there again next time.
#pragma once

#include <QString>

class QTableView;

namespace nk {

/// `name` is where the widths are kept in the settings. Call when the usual widths are set.
void giveHabits(QTableView* table, const QString& name);

/// The table with its heads as tab-separated text, cells made harmless for spreadsheets; with
/// several rows selected only those.
QString tableText(const QTableView& table);

}  // namespace nk
