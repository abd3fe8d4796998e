// The seam for everything that asks the user outside the window's own parts: file dialogs and
// questions. The window uses the real one; tests answer without a dialog.
#pragma once

#include <QString>
#include <QStringList>

class QWidget;

namespace nk {

class Dialogs {
  public:
    virtual ~Dialogs() = default;
    virtual QStringList openLogs(QWidget* parent);
    virtual QString openBook(QWidget* parent);
    /// One file that is there; `filter` as in QFileDialog. Empty: cancelled.
    virtual QString openFile(QWidget* parent, const QString& title, const QString& filter);
    /// A name to save to; `filter` as in QFileDialog. Empty: cancelled.
    virtual QString saveAs(QWidget* parent, const QString& title, const QString& suggestion,
                           const QString& filter);
    virtual bool confirm(QWidget* parent, const QString& title, const QString& question,
                         const QString& yes);
    /// One of several answers; −1: left.
    virtual int choose(QWidget* parent, const QString& title, const QString& question,
                       const QStringList& answers, const QString& leave);
    /// Something that must be read before going on.
    virtual void tell(QWidget* parent, const QString& title, const QString& words);
};

}  // namespace nk
