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

/* A row, or a sum of rows; all but count modulo the prime */
typedef struct {
    gint64 count;
    guint64 low, high, check;
    guint64 key[KEY_WORDS];
} Cell;

struct HbRowSketch {
    guint mask; /* cells - 1 */
    Cell *cells;
};

/* ---- Numbers modulo the prime ---- */

static guint64 reduce(guint64 number)
{
    number = (number & PRIME) + (number >> 61);
    return number >= PRIME ? number - PRIME : number;
}

/* Without a branch, which would be taken every other time */
static inline guint64 plus(guint64 one, guint64 other)
{
    const guint64 sum = one + other;
    return sum - (PRIME & (0 - (guint64)(sum >= PRIME)));
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

/* ---- Rows and cells ---- */

/* The last steps of MurmurHash3 (A. Appleby, public domain): each bit of the input changes half of the output's */
static guint64 mix(guint64 number)
{
    number ^= number >> 33;
    number *= G_GUINT64_CONSTANT(0xff51afd7ed558ccd);
    number ^= number >> 33;
    number *= G_GUINT64_CONSTANT(0xc4ceb9fe1a85ec53);
    return number ^ number >> 33;
}

static guint64 check_of(guint64 low, guint64 high)
{
    return reduce(mix(low + mix(high)));
}

/* Twenty bits of the hash for each, of its first half and then of its second, so that the place in a sketch is the low
 * end of that in a larger one. They may be the same: then the row is in that cell as often */
static guint position(const Cell *row, guint number, guint mask)
{
    const guint64 half = number < 2 ? row->low : row->high;
    return (guint)(half >> 20 * (number % 2)) & mask;
}

static guint words_of(const HbRowMark *row)
{
    return hb_row_key_count_bytes(row->key_length) / BYTES_OF_WORD + 1;
}

/* Seven bytes, the first lowest, of which so many are there */
static inline guint64 read_word(const char *bytes, gsize there)
{
    guint64 word = 0;

    memcpy(&word, bytes, MIN(there, BYTES_OF_WORD));
    return GUINT64_FROM_LE(word);
}

/* Only as many words of the key are set as the row has */
static inline void fill_cell(Cell *cell, const HbRowMark *row, guint words)
{
    const gsize length = hb_row_key_count_bytes(row->key_length);

    cell->count = 1;
    cell->low = reduce(row->low);
    cell->high = reduce(row->high);
    cell->check = check_of(cell->low, cell->high);
    cell->key[0] = (row->key_length & 0xff) | read_word(row->key, MIN(length, BYTES_OF_WORD - 1)) << 8;
    for (guint i = 1; i < words; i++)
        cell->key[i] = read_word(row->key + i * BYTES_OF_WORD - 1, length + 1 - i * BYTES_OF_WORD);
}

static Cell cell_of(const HbRowMark *row)
{
    Cell cell = {0};

    fill_cell(&cell, row, words_of(row));
    return cell;
}

static HbSketchedRow row_of(const Cell *cell)
{
    HbSketchedRow row = {.count = cell->count, .low = cell->low, .high = cell->high};

    row.key_length = (guint)(cell->key[0] & 0xff);
    for (guint i = 1; i <= hb_row_key_count_bytes(row.key_length) && i <= HB_ROW_KEY_MAX; i++)
        row.key[i - 1] = (char)(cell->key[i / BYTES_OF_WORD] >> 8 * (i % BYTES_OF_WORD) & 0xff);
    return row;
}

/* words: so many of the key are not 0 */
static inline void add_cell(Cell *to, const Cell *cell, guint words)
{
    to->count += cell->count;
    to->low = plus(to->low, cell->low);
    to->high = plus(to->high, cell->high);
    to->check = plus(to->check, cell->check);
    for (guint i = 0; i < words; i++)
        to->key[i] = plus(to->key[i], cell->key[i]);
}

/* The cell so many times; count may be negative */
static Cell multiply(const Cell *cell, guint64 factor, gint64 count)
{
    Cell product = {.count = count,
                    .low = times(cell->low, factor),
                    .high = times(cell->high, factor),
                    .check = times(cell->check, factor)};

    for (guint i = 0; i < KEY_WORDS; i++)
        product.key[i] = times(cell->key[i], factor);
    return product;
}

static gboolean is_empty(const Cell *cell)
{
    static const Cell empty;

    return memcmp(cell, &empty, sizeof empty) == 0;
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
}

void hb_row_sketch_free(HbRowSketch *sketch)
{
    if (sketch == NULL)
        return;
    g_free(sketch->cells);
    g_free(sketch);
}

guint hb_row_sketch_get_cells(const HbRowSketch *sketch)
{
    return sketch->mask + 1;
}

/* what: the row, or a multiple of it */
static inline void add_everywhere(HbRowSketch *sketch, const Cell *row, const Cell *what, guint words)
{
    for (guint i = 0; i < POSITIONS; i++)
        add_cell(&sketch->cells[position(row, i, sketch->mask)], what, words);
}

static void make_cells(HbRowSketch *sketch)
{
    if (sketch->cells == NULL)
        sketch->cells = g_new0(Cell, sketch->mask + 1);
}

void hb_row_sketch_add(HbRowSketch *sketch, const HbRowMark *row)
{
    const guint words = words_of(row);
    Cell cell;

    fill_cell(&cell, row, words);
    make_cells(sketch);
    add_everywhere(sketch, &cell, &cell, words);
}

void hb_row_sketch_take_away(HbRowSketch *sketch, const HbRowMark *row)
{
    const Cell cell = cell_of(row), away = multiply(&cell, PRIME - 1, -1);

    make_cells(sketch);
    add_everywhere(sketch, &cell, &away, words_of(row));
}

void hb_row_sketch_add_all(HbRowSketch *sketch, const HbRowSketch *other)
{
    g_assert(sketch->mask == other->mask);
    if (other->cells == NULL)
        return;
    make_cells(sketch);
    for (guint i = 0; i <= sketch->mask; i++)
        add_cell(&sketch->cells[i], &other->cells[i], KEY_WORDS);
}

/* A cell's place in a smaller sketch is the low end of its place in the larger one */
static void fold_into(HbRowSketch *small, const HbRowSketch *large, gboolean taken_away)
{
    for (guint i = 0; large->cells != NULL && i <= large->mask; i++) {
        Cell cell = large->cells[i];
        if (taken_away)
            cell = multiply(&cell, PRIME - 1, -cell.count);
        add_cell(&small->cells[i & small->mask], &cell, KEY_WORDS);
    }
}

/* ---- What is left ---- */

/* The row that a cell holds, if it holds only one */
static gboolean read_only_row(const HbRowSketch *sketch, guint at, Cell *row)
{
    const Cell *cell = &sketch->cells[at];
    gint64 times_here = 0;

    if (cell->count == 0)
        return FALSE;
    *row = multiply(cell, invert(from_count(cell->count)), cell->count);
    if (row->check != check_of(row->low, row->high))
        return FALSE;
    for (guint i = 0; i < POSITIONS; i++)
        times_here += position(row, i, sketch->mask) == at;
    if (times_here == 0 || cell->count % times_here != 0)
        return FALSE;
    row->count /= times_here;
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
        Cell row, away;

        g_array_set_size(places, places->len - 1);
        if (!read_only_row(sketch, at, &row))
            continue;
        read = row_of(&row);
        g_array_append_val(rows, read);
        away = multiply(&row, from_count(-row.count), -row.count);
        add_everywhere(sketch, &row, &away, KEY_WORDS);
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
    rows = take_rows_out(sketch);
    if (is_left(sketch))
        g_clear_pointer(&rows, g_array_unref);
    hb_row_sketch_clear(sketch);
    return rows;
}

GArray *hb_row_sketch_list_different(const HbRowSketch *first, const HbRowSketch *second)
{
    HbRowSketch *left = hb_row_sketch_new(MIN(first->mask, second->mask) + 1);
    GArray *rows;

    make_cells(left);
    fold_into(left, first, FALSE);
    fold_into(left, second, TRUE);
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
