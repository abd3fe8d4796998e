// What is known of a battery beyond its card: serial, tags, where and since when it is used, what a
// charge is worth, what it is a part of, a picture, notes.
#pragma once

#include <QDialog>
#include <map>

#include "book/bench_book.h"

class QComboBox;
class QLabel;
class QLineEdit;
class QPlainTextEdit;
class QPushButton;
class QSpinBox;

namespace nk {

class Dialogs;

class LifeDialog : public QDialog {
    Q_OBJECT
  public:
    /// `others` are what it may be a part of.
    LifeDialog(const BatteryEntry& battery, const BatteryLife& life,
               const std::vector<BatteryEntry>& others, Dialogs& dialogs,
               QWidget* parent = nullptr);

    /// As it stands in the fields; the picture is that of the life that was given.
    BatteryLife life() const;
    /// The file of a new picture; empty: none was chosen.
    QString newPhoto() const { return photo_; }
    bool photoTakenAway() const { return photoGone_; }

  private:
    void read();

    BatteryLife before_;
    QString photo_;
    bool photoGone_ = false;
    QLineEdit* serial_ = nullptr;
    QLineEdit* tags_ = nullptr;
    QLineEdit* usedIn_ = nullptr;
    QLineEdit* since_ = nullptr;
    QLineEdit* bought_ = nullptr;
    QLineEdit* worth_ = nullptr;
    QComboBox* whole_ = nullptr;
    QComboBox* new_ = nullptr;
    QSpinBox* position_ = nullptr;
    QPlainTextEdit* notes_ = nullptr;
    QLabel* picture_ = nullptr;
    QLabel* problem_ = nullptr;
    QPushButton* keep_ = nullptr;
    BatteryLife now_;
};

/// The picture of bytes at most `side` wide and high; null for bytes that are none, or one of more
/// than 100 megapixels.
QPixmap photoOf(const QByteArray& bytes, int side);

}  // namespace nk
