// F1: a page that explains the words of a station in a few sentences, with pictures made from our
// own demo logs.
#pragma once

#include <QDialog>

#include "app/job/job.h"

class QTextBrowser;

namespace nk {

class HelpPage : public QDialog {
    Q_OBJECT
  public:
    /// `page` names a file in assets/help: curve, finish, strength …
    explicit HelpPage(const QString& page, QWidget* parent = nullptr);
    bool picturesReady() const { return !job_.running(); }

  private:
    QTextBrowser* text_ = nullptr;
    Job job_{this};
};

}  // namespace nk
