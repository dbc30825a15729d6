/* SPDX-License-Identifier: Apache-2.0 */
#include "core/rows/row_sketch.h"

#include <string.h>

#define PRIME     ((G_GUINT64_CONSTANT(1) << 61) - 1)
#define POSITIONS 3 /* cells of a row: with two or four, a sketch of the same size tells fewer rows */

/* The key as numbers below the prime: its length, and its bytes, seven in each */
#define KEY_WORDS     12
#define BYTES_OF_WORD 7

G_STATIC_ASSERT(HB_ROW_KEY_MAX + 1 == KEY_WORDS * BYTES_OF_WORD);

__extension__ typedef unsigned __int128 Wide;

/*
 * A row, or a sum of rows: numbers modulo the prime, which may be the prime itself until they are read. A short key
 * ends in the first half, so that a row changes one line of a processor's cache in each of its cells. Four words are
 * added at once.
 */
enum { COUNT, LOW, HIGH, CHECK, KEY, WORDS = KEY + KEY_WORDS };
#define LANES      4
#define CELL_BYTES 128

typedef guint64 Lanes __attribute__((vector_size(LANES * sizeof(guint64))));

typedef union {
    guint64 word[WORDS];
    Lanes lanes[WORDS / LANES];
} Cell;

G_STATIC_ASSERT(sizeof(Cell) == CELL_BYTES);

/* Rows that are not in their cells yet: those are on their way from memory meanwhile */
#define WAITING_MAX 16

struct HbRowSketch {
    guint mask; /* cells - 1 */
    Cell *cells;
    guint waiting_count;
    guint waiting_lanes[WAITING_MAX]; /* of each: so many are not 0 */
    Cell *waiting;
};

/* ---- Numbers modulo the prime ---- */

static guint64 reduce(guint64 number)
{
    number = (number & PRIME) + (number >> 61);
    return number >= PRIME ? number - PRIME : number;
}

static guint64 plus(guint64 one, guint64 other)
{
    return reduce(one + other);
}

static guint64 minus(guint64 one, guint64 other)
{
    return one >= other ? one - other : one + PRIME - other;
}

static guint64 times(guint64 one, guint64 other)
{
    const Wide product = (Wide)one * other;
    return plus((guint64)(product & PRIME), (guint64)(product >> 61));
}

/* By Fermat: number^(PRIME - 2) */
static guint64 invert(guint64 number)
{
    guint64 result = 1;

    for (guint64 power = PRIME - 2; power > 0; power >>= 1) {
        if (power & 1)
            result = times(result, number);
        number = times(number, number);
    }
    return result;
}

static guint64 from_count(gint64 count)
{
    return count >= 0 ? reduce((guint64)count) : minus(0, reduce((guint64)-count));
}

static gint64 to_count(guint64 number)
{
    return number <= PRIME / 2 ? (gint64)number : -(gint64)(PRIME - number);
}

/* ---- Rows and cells ---- */

/* Both halves of a product, for the check of a sum of rows must not be the sum of their checks. The constants are
 * digits of pi */
static inline guint64 check_of(guint64 low, guint64 high)
{
    const Wide product =
        (Wide)(low ^ G_GUINT64_CONSTANT(0x243f6a8885a308d3)) * (high ^ G_GUINT64_CONSTANT(0x13198a2e03707345));

    return reduce((guint64)product ^ (guint64)(product >> 64));
}

/* Twenty bits of the hash for each, of its first half and then of its second, so that the place in a sketch is the low
 * end of that in a larger one. They may be the same: then the row is in that cell as often */
static guint position(const Cell *row, guint number, guint mask)
{
    const guint64 half = row->word[number < 2 ? LOW : HIGH];
    return (guint)(half >> 20 * (number % 2)) & mask;
}

/* The bytes of a key from there on, at most seven of them, the first lowest. Behind the key stands anything */
static inline guint64 read_word(const HbRowMark *row, gsize from, gsize length, gsize most)
{
    const gsize there = MIN(length - from, most);
    guint64 word;

    memcpy(&word, row->key + from, sizeof word);
    return GUINT64_FROM_LE(word) & (((guint64)1 << 8 * there) - 1);
}

/* Returns how many lanes the row fills; the cell's other lanes are left as they were */
static inline guint fill_cell(Cell *cell, const HbRowMark *row)
{
    const gsize length = hb_row_key_count_bytes(row->key_length);
    const guint lanes = (guint)(KEY + length / BYTES_OF_WORD + 1 + LANES - 1) / LANES;

    for (guint i = 1; i < lanes; i++)
        cell->lanes[i] = (Lanes){0};
    cell->word[COUNT] = 1;
    cell->word[LOW] = reduce(row->low);
    cell->word[HIGH] = reduce(row->high);
    cell->word[CHECK] = check_of(cell->word[LOW], cell->word[HIGH]);
    cell->word[KEY] = (row->key_length & 0xff) | read_word(row, 0, length, BYTES_OF_WORD - 1) << 8;
    for (gsize i = 1; i <= length / BYTES_OF_WORD; i++)
        cell->word[KEY + i] = read_word(row, i * BYTES_OF_WORD - 1, length, BYTES_OF_WORD);
    return lanes;
}

static Cell cell_of(const HbRowMark *row)
{
    Cell cell = {.word = {0}};

    fill_cell(&cell, row);
    return cell;
}

static HbSketchedRow row_of(const Cell *cell)
{
    HbSketchedRow row = {.count = to_count(cell->word[COUNT]), .low = cell->word[LOW], .high = cell->word[HIGH]};

    row.key_length = (guint)(cell->word[KEY] & 0xff);
    for (guint i = 1; i <= hb_row_key_count_bytes(row.key_length) && i <= HB_ROW_KEY_MAX; i++)
        row.key[i - 1] = (char)(cell->word[KEY + i / BYTES_OF_WORD] >> 8 * (i % BYTES_OF_WORD) & 0xff);
    return row;
}

/* Both are at most the prime and a bit, and so is the sum after this */
static inline void add_cell(Cell *to, const Cell *cell, guint lanes)
{
    for (guint i = 0; i < lanes; i++) {
        const Lanes sum = to->lanes[i] + cell->lanes[i];
        to->lanes[i] = (sum & PRIME) + (sum >> 61);
    }
}

static Cell reduce_cell(const Cell *cell)
{
    Cell reduced;

    for (guint i = 0; i < WORDS; i++)
        reduced.word[i] = reduce(cell->word[i]);
    return reduced;
}

/* The cell so many times */
static Cell multiply(const Cell *cell, guint64 factor)
{
    Cell product;

    for (guint i = 0; i < WORDS; i++)
        product.word[i] = times(reduce(cell->word[i]), factor);
    return product;
}

static gboolean is_empty(const Cell *cell)
{
    static const Cell empty;
    const Cell reduced = reduce_cell(cell);

    return memcmp(&reduced, &empty, sizeof empty) == 0;
}

/* ---- Sketches ---- */

HbRowSketch *hb_row_sketch_new(guint cells)
{
    HbRowSketch *sketch = g_new0(HbRowSketch, 1);

    sketch->mask = HB_SKETCH_CELLS_MIN - 1;
    while (sketch->mask + 1 < MIN(cells, HB_SKETCH_CELLS_MAX))
        sketch->mask = 2 * sketch->mask + 1;
    return sketch;
}

void hb_row_sketch_clear(HbRowSketch *sketch)
{
    if (sketch->cells != NULL)
        memset(sketch->cells, 0, (sketch->mask + 1) * sizeof(Cell));
    sketch->waiting_count = 0;
}

void hb_row_sketch_free(HbRowSketch *sketch)
{
    if (sketch == NULL)
        return;
    g_aligned_free(sketch->cells);
    g_aligned_free(sketch->waiting);
    g_free(sketch);
}

guint hb_row_sketch_get_cells(const HbRowSketch *sketch)
{
    return sketch->mask + 1;
}

/* what: the row, or a multiple of it */
static inline void add_everywhere(HbRowSketch *sketch, const Cell *row, const Cell *what, guint lanes)
{
    for (guint i = 0; i < POSITIONS; i++)
        add_cell(&sketch->cells[position(row, i, sketch->mask)], what, lanes);
}

static void make_cells(HbRowSketch *sketch)
{
    if (sketch->cells != NULL)
        return;
    sketch->cells = g_aligned_alloc0(sketch->mask + 1, sizeof(Cell), CELL_BYTES);
    sketch->waiting = g_aligned_alloc0(WAITING_MAX, sizeof(Cell), CELL_BYTES);
}

static void add_waiting(HbRowSketch *sketch)
{
    for (guint i = 0; i < sketch->waiting_count; i++)
        add_everywhere(sketch, &sketch->waiting[i], &sketch->waiting[i], sketch->waiting_lanes[i]);
    sketch->waiting_count = 0;
}

void hb_row_sketch_add(HbRowSketch *sketch, const HbRowMark *row)
{
    Cell *cell;

    make_cells(sketch);
    if (sketch->waiting_count == WAITING_MAX)
        add_waiting(sketch);
    cell = &sketch->waiting[sketch->waiting_count];
    sketch->waiting_lanes[sketch->waiting_count++] = fill_cell(cell, row);
    for (guint i = 0; i < POSITIONS; i++)
        __builtin_prefetch(&sketch->cells[position(cell, i, sketch->mask)], 1);
}

void hb_row_sketch_take_away(HbRowSketch *sketch, const HbRowMark *row)
{
    const Cell cell = cell_of(row), away = multiply(&cell, PRIME - 1);

    make_cells(sketch);
    add_everywhere(sketch, &cell, &away, WORDS / LANES);
}

void hb_row_sketch_add_all(HbRowSketch *sketch, HbRowSketch *other)
{
    g_assert(sketch->mask == other->mask);
    add_waiting(other);
    if (other->cells == NULL)
        return;
    make_cells(sketch);
    for (guint i = 0; i <= sketch->mask; i++)
        add_cell(&sketch->cells[i], &other->cells[i], WORDS / LANES);
}

/* A cell's place in a smaller sketch is the low end of its place in the larger one */
static void fold_into(HbRowSketch *small, HbRowSketch *large, guint64 factor)
{
    add_waiting(large);
    for (guint i = 0; large->cells != NULL && i <= large->mask; i++) {
        const Cell cell = multiply(&large->cells[i], factor);
        add_cell(&small->cells[i & small->mask], &cell, WORDS / LANES);
    }
}

/* ---- What is left ---- */

/* The row that a cell holds, if it holds only one, and how often */
static gboolean read_only_row(const HbRowSketch *sketch, guint at, Cell *row, gint64 *count)
{
    const guint64 number = reduce(sketch->cells[at].word[COUNT]);
    gint64 times_here = 0;

    if (number == 0)
        return FALSE;
    *row = multiply(&sketch->cells[at], invert(number));
    if (row->word[CHECK] != check_of(row->word[LOW], row->word[HIGH]))
        return FALSE;
    for (guint i = 0; i < POSITIONS; i++)
        times_here += position(row, i, sketch->mask) == at;
    if (times_here == 0 || to_count(number) % times_here != 0)
        return FALSE;
    *count = to_count(number) / times_here;
    return TRUE;
}

static gboolean is_left(const HbRowSketch *sketch)
{
    for (guint i = 0; i <= sketch->mask; i++) {
        if (!is_empty(&sketch->cells[i]))
            return TRUE;
    }
    return FALSE;
}

/* Takes out one row after the other; the cells that each was in may hold only one then */
static GArray *take_rows_out(HbRowSketch *sketch)
{
    GArray *rows = g_array_new(FALSE, FALSE, sizeof(HbSketchedRow));
    g_autoptr(GArray) places = g_array_new(FALSE, FALSE, sizeof(guint));

    for (guint i = 0; i <= sketch->mask; i++)
        g_array_append_val(places, i);
    while (places->len > 0 && rows->len <= sketch->mask) {
        const guint at = g_array_index(places, guint, places->len - 1);
        HbSketchedRow read;
        gint64 count;
        Cell row, away;

        g_array_set_size(places, places->len - 1);
        if (!read_only_row(sketch, at, &row, &count))
            continue;
        read = row_of(&row);
        read.count = count;
        g_array_append_val(rows, read);
        away = multiply(&row, from_count(-count));
        add_everywhere(sketch, &row, &away, WORDS / LANES);
        for (guint i = 0; i < POSITIONS; i++) {
            const guint place = position(&row, i, sketch->mask);
            g_array_append_val(places, place);
        }
    }
    return rows;
}

GArray *hb_row_sketch_list_left(HbRowSketch *sketch)
{
    GArray *rows;

    make_cells(sketch);
    add_waiting(sketch);
    rows = take_rows_out(sketch);
    if (is_left(sketch))
        g_clear_pointer(&rows, g_array_unref);
    hb_row_sketch_clear(sketch);
    return rows;
}

GArray *hb_row_sketch_list_different(HbRowSketch *first, HbRowSketch *second)
{
    HbRowSketch *left = hb_row_sketch_new(MIN(first->mask, second->mask) + 1);
    GArray *rows;

    make_cells(left);
    fold_into(left, first, 1);
    fold_into(left, second, PRIME - 1);
    rows = hb_row_sketch_list_left(left);
    hb_row_sketch_free(left);
    return rows;
}

gboolean hb_row_sketch_is_of(const HbSketchedRow *sketched, const HbRowMark *row)
{
    return sketched->low == reduce(row->low) && sketched->high == reduce(row->high);
}

guint hb_row_sketch_hash(const HbSketchedRow *sketched)
{
    return (guint)(sketched->low ^ sketched->high >> 29);
}

HbSketchedRow hb_row_sketch_row(const HbRowMark *row)
{
    const Cell cell = cell_of(row);

    return row_of(&cell);
}
