// What is laid side by side, chosen from a tree: logs, and under each its steps.
#pragma once

#include <QDialog>
#include <map>

#include "app/session/session.h"
#include "app/side/side_presenter.h"

class QTreeWidget;
class QTreeWidgetItem;

namespace nk {

class LogChooser : public QDialog {
    Q_OBJECT
  public:
    /// `opened`: logs that are at hand, whose steps need no reading.
    LogChooser(Session& session, const std::vector<SideItem>& chosen,
               const std::map<std::int64_t, OpenedPtr>& opened, QWidget* parent);

  Q_SIGNALS:
    /// Those that lay there first stay first: the first is compared with.
    void taken(const std::vector<SideItem>& items);

  private:
    void expand(QTreeWidgetItem* log);
    void fill(QTreeWidgetItem* log, const Steps& steps);
    void take();

    Session& session_;
    std::vector<SideItem> chosen_;
    std::map<std::int64_t, OpenedPtr> opened_;
    std::vector<SideItem> unlisted_;  ///< chosen ones that the tree does not show
    QTreeWidget* tree_ = nullptr;
};

}  // namespace nk
