// Numbers as people write them: what the marks of a cell allow, and its value under one reading.
// Which reading a column has is decided from the marks of all its cells, not here.
#pragma once

#include <array>
#include <cctype>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <limits>
#include <map>
#include <string>
#include <unordered_set>
#include <vector>

namespace wavetax {

// What is seen in a cell, each a bit.
enum NumeralMark : unsigned {
  comma_decimal = 1u << 0,    // the comma can only be the decimal mark: 3,5
  comma_thousands = 1u << 1,  // it can only stand between thousands: 1,234,567
  comma_either = 1u << 2,     // 1,021
  point_decimal = 1u << 3,
  point_thousands = 1u << 4,
  point_either = 1u << 5,
  space_thousands = 1u << 6,
  apostrophe_thousands = 1u << 7,
  percent_sign = 1u << 8,
  in_brackets = 1u << 9,
  minus_behind = 1u << 10,
  minus_sign = 1u << 11,      // a minus that is not the hyphen
  with_currency = 1u << 12,
  zeros_before = 1u << 13,    // 00157: a code
  many_digits = 1u << 14,     // a whole number of 15 digits and more
  plain_thousand = 1u << 15   // 1000 and more, written without a mark between thousands
};
constexpr int numeral_marks = 16;
constexpr int code_digits = 15;

enum class MarkRole { open, decimal, thousands };

// `share`: 12.5% is 0.125, not 12.5.
struct NumeralRoles {
  MarkRole comma = MarkRole::open, point = MarkRole::open;
  bool share = false;
};

struct Numeral {
  bool number = false;
  unsigned marks = 0;
  double value = 0.0;
  const char* currency = nullptr;
  std::size_t currency_length = 0;
};

using Words = std::unordered_set<std::string>;

namespace numeral {

enum class Sign { none, space, minus, apostrophe, currency };

// A sign of several bytes (UTF-8) at `at`, and its length.
inline Sign wide_sign(const char* at, const char* end, std::size_t& length) {
  const auto byte = [&](int i) { return at + i < end ? static_cast<unsigned char>(at[i]) : 0u; };
  const unsigned first = byte(0);
  if (first == 0xC2u) {
    length = 2;
    if (byte(1) == 0xA0u) return Sign::space;
    if (byte(1) >= 0xA2u && byte(1) <= 0xA5u) return Sign::currency;  // cent, pound, general, yen
    return Sign::none;
  }
  length = 3;
  if (first == 0xE2u && byte(1) == 0x80u) {
    const unsigned last = byte(2);
    if (last >= 0x82u && last <= 0x8Au) return Sign::space;            // the narrow ones
    if (last == 0xAFu) return Sign::space;                             // narrow, not to be broken
    if (last == 0x92u || last == 0x93u) return Sign::minus;            // figure and en dash
    if (last == 0x98u || last == 0x99u) return Sign::apostrophe;
  }
  if (first == 0xE2u && byte(1) == 0x88u && byte(2) == 0x92u) return Sign::minus;
  if (first == 0xE2u && byte(1) == 0x82u && byte(2) >= 0xA0u) return Sign::currency;
  return Sign::none;
}

inline bool is_digit(char c) { return c >= '0' && c <= '9'; }
inline bool is_letter(char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z'); }

inline std::size_t space_at(const char* at, const char* end) {
  if (at >= end) return 0;
  if (*at == ' ' || *at == '\t' || *at == '\r' || *at == '\n') return 1;
  std::size_t length = 0;
  if (static_cast<unsigned char>(*at) < 0x80u || wide_sign(at, end, length) != Sign::space) return 0;
  return length;
}

// Spaces of every kind at both ends are left off.
inline void trim(const char*& at, const char*& end) {
  while (const std::size_t length = space_at(at, end)) at += length;
  while (end > at) {
    std::size_t length = 1;
    while (length < 4 && end - length > at && (static_cast<unsigned char>(*(end - length)) & 0xC0u) == 0x80u) ++length;
    if (space_at(end - length, end) != length) return;
    end -= length;
  }
}

// The digits of a cell with the marks between them.
struct Body {
  static constexpr int most_digits = 400, most_marks = 140;
  char digits[most_digits];
  int count = 0;
  struct Mark {
    char kind;    // ',' '.' ' ' '\''
    int before;   // digits before it
  } mark[most_marks];
  int marks = 0;
  bool has_exponent = false;
  int exponent = 0;
};

// A separator within the body at `at`: kind and length; 0 where there is none.
inline char separator_at(const char* at, const char* end, std::size_t& length) {
  length = 1;
  if (*at == ',' || *at == '.' || *at == '\'') return *at;
  if (*at == ' ') return ' ';
  if (static_cast<unsigned char>(*at) < 0x80u) return 0;
  const Sign sign = wide_sign(at, end, length);
  return sign == Sign::space ? ' ' : sign == Sign::apostrophe ? '\'' : '\0';
}

inline bool read_body(const char*& at, const char* end, Body& body) {
  while (at < end) {
    if (is_digit(*at)) {
      if (body.count == Body::most_digits) return false;
      body.digits[body.count++] = *at++;
      continue;
    }
    std::size_t length;
    const char kind = separator_at(at, end, length);
    if (!kind) break;
    const bool goes_on = at + length < end && is_digit(at[length]);
    if ((kind == ' ' || kind == '\'') && (!goes_on || body.count == 0)) break;
    if (body.marks == Body::most_marks) return false;
    body.mark[body.marks++] = {kind, body.count};
    at += length;
    if (!goes_on) break;
  }
  if (body.count == 0) return false;
  if (at < end && (*at == 'e' || *at == 'E')) {
    const char* next = at + 1;
    bool minus = false;
    if (next < end && (*next == '-' || *next == '+')) minus = *next++ == '-';
    if (next < end && is_digit(*next)) {
      int exponent = 0;
      while (next < end && is_digit(*next)) {
        if (exponent < 100000) exponent = 10 * exponent + (*next - '0');
        ++next;
      }
      body.has_exponent = true;
      body.exponent = minus ? -exponent : exponent;
      at = next;
    }
  }
  return true;
}

// Whether the marks `first`..`last` - 1 cut the digits up to `until` into groups as people write
// them: three digits each, or two each before the last three; one to three before the first.
inline bool are_groups(const Body& body, int first, int last, int until) {
  const int lead = body.mark[first].before;
  if (lead < 1 || lead > 3 || body.digits[0] == '0') return false;
  bool threes = true, twos = lead <= 2;
  for (int m = first; m < last; ++m) {
    const bool final = m + 1 == last;
    const int size = (final ? until : body.mark[m + 1].before) - body.mark[m].before;
    if (size != 3) threes = false;
    if (size != (final ? 3 : 2)) twos = false;
  }
  return threes || twos;
}

// Which digits are decimals under the roles, or -1 where the marks do not fit. What one kind of mark
// can be is added to `marks`.
inline int decimals_of(const Body& body, NumeralRoles roles, unsigned& marks) {
  if (body.marks == 0) return 0;
  const char last_kind = body.mark[body.marks - 1].kind;
  int of_last = 0;
  while (of_last < body.marks && body.mark[body.marks - 1 - of_last].kind == last_kind) ++of_last;
  const int others = body.marks - of_last;
  for (int m = 1; m < others; ++m)
    if (body.mark[m].kind != body.mark[0].kind) return -1;
  const bool last_may_be_decimal = (last_kind == ',' || last_kind == '.') && of_last == 1;
  const int before = body.mark[body.marks - 1].before, after = body.count - before;
  const MarkRole role = last_kind == ',' ? roles.comma : last_kind == '.' ? roles.point : MarkRole::thousands;
  const auto decimal = [&] { marks |= last_kind == ',' ? comma_decimal : point_decimal; };
  const auto thousands = [&](char kind) {
    marks |= kind == ',' ? comma_thousands : kind == '.' ? point_thousands : kind == ' ' ? space_thousands
                                                                                         : apostrophe_thousands;
  };
  const auto role_of = [&](char kind) {
    return kind == ',' ? roles.comma : kind == '.' ? roles.point : MarkRole::thousands;
  };
  if (others > 0) {
    const char kind = body.mark[0].kind;
    if (kind == last_kind || !last_may_be_decimal || role == MarkRole::thousands ||
        role_of(kind) == MarkRole::decimal || !are_groups(body, 0, others, before))
      return -1;
    thousands(kind);
    decimal();
    return after;
  }
  const bool groups = !body.has_exponent && are_groups(body, 0, body.marks, body.count);
  if (!last_may_be_decimal) {
    if (!groups || role == MarkRole::decimal) return -1;
    thousands(last_kind);
    return 0;
  }
  if (role == MarkRole::thousands) {
    if (!groups) return -1;
    thousands(last_kind);
    return 0;
  }
  if (role == MarkRole::open && groups) {
    marks |= last_kind == ',' ? comma_either : point_either;
    return last_kind == ',' ? 0 : after;
  }
  decimal();
  return after;
}

// Correctly rounded: within 2^53 and powers of ten that doubles hold, one operation; else the
// library's own conversion of the plain digits.
inline double value_of(const Body& body, int decimals) {
  static const double power[] = {1e0,  1e1,  1e2,  1e3,  1e4,  1e5,  1e6,  1e7,  1e8,  1e9,  1e10, 1e11,
                                 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18, 1e19, 1e20, 1e21, 1e22};
  const int exponent = body.exponent - decimals;
  if (body.count <= 18 && exponent >= -22 && exponent <= 22) {
    std::uint64_t whole = 0;
    for (int i = 0; i < body.count; ++i) whole = 10 * whole + static_cast<unsigned>(body.digits[i] - '0');
    if (whole <= (std::uint64_t{1} << 53)) {
      const double value = static_cast<double>(whole);
      return exponent < 0 ? value / power[-exponent] : value * power[exponent];
    }
  }
  std::string plain(body.digits, static_cast<std::size_t>(body.count));
  plain += 'e';
  plain += std::to_string(exponent);
  return std::strtod(plain.c_str(), nullptr);
}

}  // namespace numeral

// A cell's number under the roles of its marks.
inline Numeral read_numeral(const char* at, const char* end, NumeralRoles roles, const Words& currencies) {
  using namespace numeral;
  Numeral out;
  trim(at, end);
  bool negative = false, signs = false, bracket = false;
  const auto currency = [&](const char* from, std::size_t length) {
    if (out.currency) return false;
    out.currency = from;
    out.currency_length = length;
    out.marks |= with_currency;
    return true;
  };
  // A word of letters, with what is not ASCII, that names a currency; US$ too.
  const auto word_currency = [&]() {
    const char* from = at;
    while (at < end && !is_digit(*at) && !space_at(at, end) && *at != '-' && *at != '+' && *at != '(' && *at != ')' &&
           *at != '%' && at - from < 12)
      ++at;
    return currencies.count(std::string(from, at)) > 0 && currency(from, static_cast<std::size_t>(at - from));
  };
  // A currency, a percent sign or a minus at either side of the digits.
  const auto around = [&](bool before) {
    while (at < end) {
      if (const std::size_t space = space_at(at, end)) {
        at += space;
        continue;
      }
      std::size_t length = 1;
      const Sign sign = static_cast<unsigned char>(*at) < 0x80u
                            ? (*at == '$' ? Sign::currency : *at == '-' ? Sign::minus : Sign::none)
                            : wide_sign(at, end, length);
      if (sign == Sign::minus || *at == '+') {
        if (signs) return false;
        signs = true;
        negative = sign == Sign::minus;
        if (length > 1) out.marks |= minus_sign;
        if (!before) out.marks |= minus_behind;
        at += length;
      } else if (sign == Sign::currency) {
        if (!currency(at, length)) return false;
        at += length;
      } else if (*at == '%') {
        if (out.marks & percent_sign) return false;
        out.marks |= percent_sign;
        ++at;
      } else if (*at == (before ? '(' : ')')) {
        if (before == bracket) return false;
        bracket = before;
        if (before) out.marks |= in_brackets;
        ++at;
      } else if (before && (is_digit(*at) || ((*at == '.' || *at == ',') && at + 1 < end && is_digit(at[1])))) {
        return true;
      } else if (!word_currency()) {
        return false;
      }
    }
    return !before;
  };
  if (end - at == 3 + (at < end && *at == '-') && std::memcmp(end - 3, "Inf", 3) == 0) {
    out.number = true;
    out.value = std::numeric_limits<double>::infinity() * (*at == '-' ? -1.0 : 1.0);
    return out;
  }
  Body body;
  if (!around(true) || !read_body(at, end, body)) return out;
  const int decimals = decimals_of(body, roles, out.marks);
  if (decimals < 0 || !around(false) || bracket) return out;
  if ((out.marks & in_brackets) && signs) return out;
  if (body.marks == 0 && !body.has_exponent && !signs) {
    if (body.count > 1 && body.digits[0] == '0') out.marks |= zeros_before;
    if (body.count >= code_digits) out.marks |= many_digits;
  }
  const int whole = body.count - decimals;
  const unsigned grouped = comma_thousands | comma_either | point_thousands | space_thousands | apostrophe_thousands;
  if (whole > 3 && !body.has_exponent && !(out.marks & grouped)) out.marks |= plain_thousand;
  out.value = value_of(body, decimals + (roles.share && (out.marks & percent_sign) ? 2 : 0));
  if (negative || (out.marks & in_brackets)) out.value = -out.value;
  out.number = true;
  return out;
}

// The cells of a column read one after the other, with what was seen in them.
class NumeralColumn {
 public:
  NumeralColumn(NumeralRoles roles, const Words& currencies, const Words& missing)
      : roles_(roles), currencies_(currencies), missing_(missing) {
    for (const std::string& word : missing)
      if (!word.empty() && read_numeral(word.data(), word.data() + word.size(), {}, {}).number) numbers_missing_ = true;
    first_.fill(-1);
  }

  // The number of the cell in row `row`; not a number where there is none.
  double add(std::int64_t row, const char* at, const char* end) {
    numeral::trim(at, end);
    if (at == end) return std::numeric_limits<double>::quiet_NaN();
    ++filled_;
    if (numbers_missing_ && is_missing(at, end)) return missing(row);
    const Numeral cell = read_numeral(at, end, roles_, currencies_);
    if (!cell.number) {
      if (is_missing(at, end)) return missing(row);
      not_numbers_.push_back(row);
      return std::numeric_limits<double>::quiet_NaN();
    }
    ++numbers_;
    if (cell.marks) note(row, cell);
    return cell.value;
  }

  std::int64_t filled() const { return filled_; }
  std::int64_t numbers() const { return numbers_; }
  const std::array<std::int64_t, numeral_marks>& counts() const { return counts_; }
  const std::array<std::int64_t, numeral_marks>& first() const { return first_; }
  const std::vector<std::int64_t>& not_numbers() const { return not_numbers_; }
  const std::vector<std::int64_t>& missing_rows() const { return missing_rows_; }
  const std::map<std::string, std::int64_t>& currencies() const { return seen_; }

 private:
  NumeralRoles roles_;
  const Words& currencies_;
  const Words& missing_;
  bool numbers_missing_ = false;
  std::int64_t filled_ = 0, numbers_ = 0;
  std::array<std::int64_t, numeral_marks> counts_{}, first_{};
  std::vector<std::int64_t> not_numbers_, missing_rows_;
  std::map<std::string, std::int64_t> seen_;

  bool is_missing(const char* at, const char* end) const {
    if (end - at > 60) return false;
    std::string word(at, end);
    for (char& c : word)
      if (c >= 'A' && c <= 'Z') c = static_cast<char>(c - 'A' + 'a');
    return missing_.count(word) > 0;
  }

  double missing(std::int64_t row) {
    missing_rows_.push_back(row);
    return std::numeric_limits<double>::quiet_NaN();
  }

  void note(std::int64_t row, const Numeral& cell) {
    for (int mark = 0; mark < numeral_marks; ++mark) {
      if (!(cell.marks >> mark & 1u)) continue;
      if (counts_[mark]++ == 0) first_[mark] = row;
    }
    if (cell.currency) ++seen_[std::string(cell.currency, cell.currency_length)];
  }
};

}  // namespace wavetax
