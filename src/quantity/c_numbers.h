// Foreign libraries read numbers with the C library, which follows LC_NUMERIC; a window's toolkit
// takes that from the environment. They are called under this.
#pragma once

#include <locale.h>
#include <clocale>

namespace nk {

/// The numbers of this thread are those of the C locale while it lives. Other threads keep theirs.
class CNumbers {
  public:
    CNumbers() : mine_(newlocale(LC_NUMERIC_MASK, "C", duplocale(uselocale(locale_t{})))) {
        before_ = uselocale(mine_);
    }
    ~CNumbers() {
        uselocale(before_);
        freelocale(mine_);
    }
    CNumbers(const CNumbers&) = delete;
    CNumbers& operator=(const CNumbers&) = delete;

  private:
    locale_t mine_;
    locale_t before_{};
};

}  // namespace nk
