// Work split into numbered pieces. The pieces never depend on the number of
// threads, so neither do the results.
#pragma once

#include <algorithm>
#include <atomic>
#include <cstddef>
#include <exception>
#include <new>
#include <stdexcept>
#include <string>
#include <utility>
#include <vector>

#ifdef _OPENMP
#include <omp.h>
#endif
#ifndef _WIN32
#include <unistd.h>
#endif
#ifdef __linux__
#include <sys/mman.h>
#endif

namespace wavetax {

// The threads of a process do not live on in its forked children, and the pool that remembers
// them would wait for ever.
inline bool is_forked_child() {
#ifdef _WIN32
  return false;
#else
  static const pid_t home = getpid();
  return getpid() != home;
#endif
}
static const bool known_from_the_start = is_forked_child();

inline int available_threads() {
#ifdef _OPENMP
  return is_forked_child() ? 1 : std::max(1, omp_get_max_threads());
#else
  return 1;
#endif
}

// Calls body(piece) once for every piece in [0, pieces). What a body throws is thrown again once
// all threads have ended: an exception must not leave a parallel region by itself.
template <class Body>
void for_each_piece(std::size_t pieces, int threads, Body&& body) {
  const long long count = static_cast<long long>(pieces);
  std::exception_ptr thrown;
  std::atomic<bool> failed{false};
#ifdef _OPENMP
#pragma omp parallel for schedule(dynamic) num_threads(threads) if (threads > 1 && count > 1)
#endif
  for (long long piece = 0; piece < count; ++piece) {
    if (failed) continue;
    try {
      body(static_cast<std::size_t>(piece));
    } catch (...) {
      if (!failed.exchange(true)) thrown = std::current_exception();
    }
  }
  (void)threads;
  if (thrown) std::rethrow_exception(thrown);
}

// Memory that could not be had, and how much it was.
class OutOfMemory : public std::bad_alloc {
 public:
  explicit OutOfMemory(double bytes)
      : text_(std::to_string(static_cast<unsigned long long>(bytes)) + " bytes of memory could not be had.") {}
  const char* what() const noexcept override { return text_.c_str(); }

 private:
  std::string text_;
};

// Large tables that are read in any order spend their time in finding pages: larger pages are asked
// for, where the system has them. No result depends on it.
inline void prefer_large_pages(void* begin, std::size_t bytes) {
#if defined(__linux__) && defined(MADV_HUGEPAGE)
  constexpr std::size_t page = std::size_t{1} << 21;
  if (bytes < 2 * page) return;
  const std::size_t from = reinterpret_cast<std::size_t>(begin);
  const std::size_t first = (from + page - 1) / page * page, last = (from + bytes) / page * page;
  if (last > first) madvise(reinterpret_cast<void*>(first), last - first, MADV_HUGEPAGE);
#else
  (void)begin;
  (void)bytes;
#endif
}

// Memory that begins where a line of the processor's cache does: the few numbers of a group that lie
// together are then fetched at once.
template <class Value>
struct LineAllocator {
  using value_type = Value;
  static constexpr std::align_val_t line{64};

  LineAllocator() = default;
  template <class Other>
  LineAllocator(const LineAllocator<Other>&) {}
  Value* allocate(std::size_t count) { return static_cast<Value*>(::operator new(count * sizeof(Value), line)); }
  void deallocate(Value* values, std::size_t) { ::operator delete(values, line); }
  bool operator==(const LineAllocator&) const { return true; }
  bool operator!=(const LineAllocator&) const { return false; }
};

using Numbers = std::vector<double, LineAllocator<double>>;

// Makes a table of zeros, or says how much memory it would have taken.
template <class Value, class Allocator>
void allocate(std::vector<Value, Allocator>& table, std::size_t size) {
  const double bytes = static_cast<double>(size) * sizeof(Value);
  try {
    table.reserve(size);
    prefer_large_pages(table.data(), table.capacity() * sizeof(Value));
    table.assign(size, Value());
  } catch (const std::bad_alloc&) {
    throw OutOfMemory(bytes);
  } catch (const std::length_error&) {
    throw OutOfMemory(bytes);
  }
}

inline Numbers zeros(std::size_t size) {
  Numbers out;
  allocate(out, size);
  return out;
}

// Sums over rows in any order into a table of `size` numbers: body(table, begin, end) adds
// rows [begin, end). Rows are cut into two or four lanes, each with a table of its own, by the
// table's size and never by the number of threads; the tables are added in order.
template <class Body>
Numbers sum_in_lanes(std::size_t rows, std::size_t size, int threads, Body&& body) {
  const std::size_t count = rows < 50000 ? 1 : size <= (std::size_t{1} << 20) ? 4 : 2;
  std::vector<Numbers> tables(count);
  for_each_piece(count, threads, [&](std::size_t lane) {
    allocate(tables[lane], size);
    body(tables[lane].data(), rows * lane / count, rows * (lane + 1) / count);
  });
  const std::size_t piece = std::size_t{1} << 18;
  for_each_piece((size + piece - 1) / piece, threads, [&](std::size_t p) {
    const std::size_t end = std::min(size, (p + 1) * piece);
    for (std::size_t lane = 1; lane < count; ++lane)
      for (std::size_t i = p * piece; i < end; ++i) tables[0][i] += tables[lane][i];
  });
  return std::move(tables[0]);
}

// Calls body with the width as a constant where it is small, so that loops over it unroll.
template <std::size_t Width>
struct Fixed {
  static std::size_t of(std::size_t) { return Width; }
};
struct AnyWidth {
  static std::size_t of(std::size_t width) { return width; }
};
template <class Body>
void with_width(std::size_t width, Body&& body) {
  switch (width) {
    case 1: return body(Fixed<1>());
    case 2: return body(Fixed<2>());
    case 3: return body(Fixed<3>());
    case 4: return body(Fixed<4>());
    case 5: return body(Fixed<5>());
    case 6: return body(Fixed<6>());
    default: return body(AnyWidth());
  }
}

// Rows whose place in a table is fetched in advance.
constexpr std::size_t fetch_ahead = 16;

}  // namespace wavetax
