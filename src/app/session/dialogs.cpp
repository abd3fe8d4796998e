#include "app/session/dialogs.h"

#include <QFileDialog>
#include <QMessageBox>
#include <QPushButton>

#include "app/shell/choice_dialog.h"

namespace nk {

QStringList Dialogs::openLogs(QWidget* parent) {
    return QFileDialog::getOpenFileNames(
        parent, QObject::tr("Open logs"), {},
        QObject::tr(
            "Logs (*.csv *.tsv *.txt *.log *.dat *.gz *.zst *.xlsx *.ods *.mat);;All files (*)"));
}

QString Dialogs::openBook(QWidget* parent) {
    return QFileDialog::getSaveFileName(parent, QObject::tr("Open or make a bench book"), {},
                                        QObject::tr("Bench books (*.nkbook)"), nullptr,
                                        QFileDialog::DontConfirmOverwrite);
}

QString Dialogs::openFile(QWidget* parent, const QString& title, const QString& filter) {
    return QFileDialog::getOpenFileName(parent, title, {}, filter);
}

QString Dialogs::saveAs(QWidget* parent, const QString& title, const QString& suggestion,
                        const QString& filter) {
    return QFileDialog::getSaveFileName(parent, title, suggestion, filter);
}

bool Dialogs::confirm(QWidget* parent, const QString& title, const QString& question,
                      const QString& yes) {
    QMessageBox box(QMessageBox::Question, title, question, QMessageBox::Cancel, parent);
    const QPushButton* accept = box.addButton(yes, QMessageBox::AcceptRole);
    box.exec();
    return box.clickedButton() == accept;
}

int Dialogs::choose(QWidget* parent, const QString& title, const QString& question,
                    const QStringList& answers, const QString& leave) {
    ChoiceDialog dialog(title, question, answers, leave, parent);
    dialog.exec();
    return dialog.chosen();
}

void Dialogs::tell(QWidget* parent, const QString& title, const QString& words) {
    ChoiceDialog(title, words, {QObject::tr("Go on")}, {}, parent).exec();
}

}  // namespace nk
