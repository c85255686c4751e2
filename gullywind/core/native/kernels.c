/* The inner loops of listening, measuring and rendering. Without state and without allocation; lengths are counted in
 * elements, complex numbers are pairs of floats. `compiled.py` beside this file says what each is for and checks what it
 * is given. */

#include <math.h>
#include <stdint.h>
#include <string.h>

/* Each loop is compiled for several sets of instructions, of which the processor's is chosen when the library is loaded:
 * one file runs on every machine of a kind, as fast as it can there. */
#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define EVERYWHERE __attribute__((target_clones("arch=x86-64-v4", "arch=x86-64-v3", "default")))
#define WITHIN static inline __attribute__((always_inline))
#else
#define EVERYWHERE
#define WITHIN static inline
#endif

/* So many bins are turned by factors that are computed once; only their first needs a sine and a cosine. */
enum { LANES = 64 };
/* Sums over rows are made in stretches that stay in the first-level cache. */
enum { STRETCH = 512 };

static const double TURN = 6.283185307179586476925286766559;

/* A phase is turned by another. */
WITHIN void turn(double *re, double *im, double by_re, double by_im) {
    const double turned = *re * by_re - *im * by_im;
    *im = *re * by_im + *im * by_re;
    *re = turned;
}

/* Phases exp(i * angle * k) of the first LANES bins, and of bin LANES. One is turned into the next: what that loses of
 * doubles is far less than the floats hold. */
WITHIN void lane_phases(double angle, float *real, float *imag, double *beyond) {
    const double by_real = cos(angle), by_imag = sin(angle);
    double re = 1.0, im = 0.0;
    for (int k = 0; k < LANES; k++) {
        real[k] = (float)re;
        imag[k] = (float)im;
        turn(&re, &im, by_real, by_imag);
    }
    beyond[0] = re;
    beyond[1] = im;
}

/* Bin `k`'s phase for an advance by `samples`, whole turns taken off first: they may be many thousands. */
WITHIN double bin_angle(int64_t k, double samples, int64_t size) {
    const double turns = (double)k * samples / (double)size;
    return TURN * (turns - floor(turns));
}

/* into[channel][i] = sound at start + i * step, by a kernel tabulated at `phases` + 1 fractions of a sample. */
EVERYWHERE
void interpolate(const float *sound, int64_t channels, int64_t stride, double start, double step, const float *table,
                 int64_t phases, int64_t taps, float *into, int64_t into_stride, int64_t length) {
    for (int64_t i = 0; i < length; i++) {
        const double position = start + (double)i * step;
        const double base = floor(position);
        const double phase = (position - base) * (double)phases;
        const int64_t row = (int64_t)phase;
        const float share = (float)(phase - (double)row);
        const float *low = table + row * taps, *high = low + taps;
        const float *around = sound + (int64_t)base - (taps / 2 - 1);
        for (int64_t channel = 0; channel < channels; channel++, around += stride) {
            float before = 0.0f, after = 0.0f;
            for (int64_t tap = 0; tap < taps; tap++) {
                before += low[tap] * around[tap];
                after += high[tap] * around[tap];
            }
            into[channel * into_stride + i] = before + share * (after - before);
        }
    }
}

WITHIN void thin_by(const float *restrict sound, const int64_t factor, float *restrict into, int64_t length) {
    for (int64_t i = 0; i < length; i++) {
        float sum = 0.0f;
        for (int64_t j = 0; j < factor; j++)
            sum += sound[i * factor + j];
        into[i] = sum;
    }
}

/* into[i] = the sum of `factor` samples from i * factor on. */
EVERYWHERE
void thin(const float *sound, int64_t factor, float *into, int64_t length) {
    /* Known factors become vector code, three to six times as fast: 48 kHz and 44.1, 96 and 88.2. */
    switch (factor) {
    case 2:
        thin_by(sound, 2, into, length);
        break;
    case 3:
        thin_by(sound, 3, into, length);
        break;
    case 6:
        thin_by(sound, 6, into, length);
        break;
    default:
        thin_by(sound, factor, into, length);
    }
}

/* into[i] = `size` samples from starts[i] on, windowed; zeros outside the sound. */
EVERYWHERE
void cut(const float *sound, int64_t samples, const int64_t *starts, int64_t count, const float *window, int64_t size,
         float *into) {
    for (int64_t i = 0; i < count; i++, into += size) {
        const int64_t start = starts[i];
        const int64_t low = start < 0 ? (-start < size ? -start : size) : 0;
        const int64_t left = samples - start;
        const int64_t high = left < size ? (left > low ? left : low) : size;
        memset(into, 0, (size_t)low * sizeof(float));
        for (int64_t j = low; j < high; j++)
            into[j] = sound[start + j] * window[j];
        memset(into + high, 0, (size_t)(size - high) * sizeof(float));
    }
}

/* into[i][band] = mean power of the bins from edges[2 * band] to below edges[2 * band + 1] in row i. */
EVERYWHERE
void band_powers(const float *spectra, int64_t rows, int64_t bins, const int64_t *edges, int64_t bands, float *into) {
    for (int64_t i = 0; i < rows; i++, spectra += 2 * bins)
        for (int64_t band = 0; band < bands; band++) {
            const int64_t first = edges[2 * band], last = edges[2 * band + 1];
            float sum = 0.0f;
            for (int64_t k = 2 * first; k < 2 * last; k++)
                sum += spectra[k] * spectra[k];
            *into++ = sum / (float)(last - first);
        }
}

/* Every bin's phase is advanced by `samples`, in place. */
EVERYWHERE
void advance(float *spectrum, int64_t bins, double samples, int64_t size) {
    float lane_real[LANES], lane_imag[LANES];
    double beyond[2], re = 1.0, im = 0.0;
    lane_phases(bin_angle(1, samples, size), lane_real, lane_imag, beyond);
    for (int64_t first = 0; first < bins; first += LANES) {
        const float real = (float)re, imag = (float)im;
        turn(&re, &im, beyond[0], beyond[1]);
        const int64_t here = bins - first < LANES ? bins - first : LANES;
        float *at = spectrum + 2 * first;
        for (int64_t k = 0; k < here; k++) {
            const float turn_real = real * lane_real[k] - imag * lane_imag[k];
            const float turn_imag = real * lane_imag[k] + imag * lane_real[k];
            const float a = at[2 * k], b = at[2 * k + 1];
            at[2 * k] = a * turn_real - b * turn_imag;
            at[2 * k + 1] = a * turn_imag + b * turn_real;
        }
    }
}

/* Cross spectrum conj(x) * y and both power spectra, summed over rows. */
EVERYWHERE
void sum_spectra(const float *const *x_rows, const float *const *y_rows, int64_t rows, int64_t bins, float *cross,
                 float *x_power, float *y_power) {
    /* Products of neighbouring floats are added up side by side, and paired only in the end: half the shuffling. */
    float along[2 * STRETCH], across[2 * STRETCH], xx[2 * STRETCH], yy[2 * STRETCH];
    for (int64_t first = 0; first < bins; first += STRETCH) {
        const int64_t here = bins - first < STRETCH ? bins - first : STRETCH;
        memset(along, 0, sizeof along);
        memset(across, 0, sizeof across);
        memset(xx, 0, sizeof xx);
        memset(yy, 0, sizeof yy);
        for (int64_t row = 0; row < rows; row++) {
            const float *restrict x = x_rows[row] + 2 * first, *restrict y = y_rows[row] + 2 * first;
            for (int64_t j = 0; j < 2 * here; j++) {
                along[j] += x[j] * y[j];
                xx[j] += x[j] * x[j];
                yy[j] += y[j] * y[j];
            }
            for (int64_t k = 0; k < here; k++) {
                across[2 * k] += x[2 * k] * y[2 * k + 1];
                across[2 * k + 1] += x[2 * k + 1] * y[2 * k];
            }
        }
        for (int64_t k = 0; k < here; k++) {
            cross[2 * (first + k)] = along[2 * k] + along[2 * k + 1];
            cross[2 * (first + k) + 1] = across[2 * k] - across[2 * k + 1];
            x_power[first + k] = xx[2 * k] + xx[2 * k + 1];
            y_power[first + k] = yy[2 * k] + yy[2 * k + 1];
        }
    }
}

/* The cross spectrum with every magnitude 1, and the magnitude-squared coherence; 0 where there is nothing. */
EVERYWHERE
void compare(const float *cross, const float *x_power, const float *y_power, int64_t bins, float *phases,
             float *coherence) {
    for (int64_t k = 0; k < bins; k++) {
        const float a = cross[2 * k], b = cross[2 * k + 1], power = a * a + b * b;
        const float scale = 1.0f / (sqrtf(power) + 1e-20f);
        phases[2 * k] = a * scale;
        phases[2 * k + 1] = b * scale;
        coherence[k] = power / (x_power[k] * y_power[k] + 1e-30f);
    }
}

/* sums[2 * band] = the power of the bins from edges[2 * band] to below edges[2 * band + 1], sums[2 * band + 1] = what of it
 * is coherent. */
EVERYWHERE
void band_coherence(const float *coherence, const float *power, const int64_t *edges, int64_t bands, double *sums) {
    for (int64_t band = 0; band < bands; band++) {
        float all = 0.0f, coherent = 0.0f;
        for (int64_t k = edges[2 * band]; k < edges[2 * band + 1]; k++) {
            all += power[k];
            coherent += power[k] * coherence[k];
        }
        sums[2 * band] = all;
        sums[2 * band + 1] = coherent;
    }
}

/* weighted = phases times the weight smooth / (1 - smooth) + least of their coherence, for bins `first` to `last` - 1;
 * 0 elsewhere. Before it is smoothed over `reach` bins on either side, coherence is freed from what `independent` rows
 * have by chance; it is overwritten. */
EVERYWHERE
void weigh(const float *phases, float *coherence, int64_t bins, int64_t first, int64_t last, double independent,
           int64_t reach, double most, double least, float *weighted) {
    const float scale = (float)(independent / (independent - 1.0)), shift = (float)(1.0 / (independent - 1.0));
    for (int64_t k = 0; k < bins; k++) {
        const float excess = scale * coherence[k] - shift;
        coherence[k] = excess < 0.0f ? 0.0f : excess > 1.0f ? 1.0f : excess;
    }
    memset(weighted, 0, 2 * (size_t)bins * sizeof(float));
    double sum = 0.0;
    int64_t low = first - reach < 0 ? 0 : first - reach, high = low;
    for (int64_t k = first; k < last; k++) {
        for (; high < bins && high <= k + reach; high++)
            sum += coherence[high];
        for (; low < k - reach; low++)
            sum -= coherence[low];
        double smooth = sum / (double)(high - low);
        smooth = smooth < 0.0 ? 0.0 : smooth > 0.9999 ? 0.9999 : smooth;
        const double ratio = smooth / (1.0 - smooth);
        const float weight = (float)((ratio < most ? ratio : most) + least);
        weighted[2 * k] = phases[2 * k] * weight;
        weighted[2 * k + 1] = phases[2 * k + 1] * weight;
    }
}

/* three = value, slope and curvature at `lag` of the sum over bins `first` to `last` - 1 of
 * Re(spectrum[k] exp(i omega lag)), omega = 2 pi k / size. */
EVERYWHERE
void correlation_at(const float *spectrum, int64_t first, int64_t last, int64_t size, double lag, double *three) {
    float lane_real[LANES], lane_imag[LANES];
    double beyond[2], re_ahead = cos(bin_angle(first, lag, size)), im_ahead = sin(bin_angle(first, lag, size));
    lane_phases(bin_angle(1, lag, size), lane_real, lane_imag, beyond);
    const double step = TURN / (double)size;
    double value = 0.0, slope = 0.0, curvature = 0.0;
    for (int64_t k0 = first; k0 < last; k0 += LANES) {
        const double omega = step * (double)k0;
        const float real = (float)re_ahead, imag = (float)im_ahead;
        turn(&re_ahead, &im_ahead, beyond[0], beyond[1]);
        const int64_t here = last - k0 < LANES ? last - k0 : LANES;
        const float *at = spectrum + 2 * k0;
        /* Sums of the turned bins times 1, j and j * j, j counted from the stretch's first bin. */
        float re0 = 0.0f, re1 = 0.0f, re2 = 0.0f, im0 = 0.0f, im1 = 0.0f;
        for (int64_t j = 0; j < here; j++) {
            const float turn_real = real * lane_real[j] - imag * lane_imag[j];
            const float turn_imag = real * lane_imag[j] + imag * lane_real[j];
            const float a = at[2 * j], b = at[2 * j + 1], away = (float)j;
            const float re = a * turn_real - b * turn_imag, im = a * turn_imag + b * turn_real;
            re0 += re;
            re1 += re * away;
            re2 += re * away * away;
            im0 += im;
            im1 += im * away;
        }
        value += re0;
        slope -= omega * im0 + step * im1;
        curvature -= omega * omega * re0 + 2.0 * omega * step * re1 + step * step * re2;
    }
    three[0] = value;
    three[1] = slope;
    three[2] = curvature;
}

/* Two second-order sections in series (transposed direct form II): one step of either, x in, z out. */
#define WEIGHTED(x, z, y, s)                                                                                           \
    y = sections[0] * (x) + s[0];                                                                                      \
    s[0] = sections[1] * (x) - sections[3] * y + s[1];                                                                 \
    s[1] = sections[2] * (x) - sections[4] * y;                                                                        \
    z = sections[5] * y + s[2];                                                                                        \
    s[2] = sections[6] * y - sections[8] * z + s[3];                                                                   \
    s[3] = sections[7] * y - sections[9] * z

/* So many stretches are filtered side by side: one alone waits for its own last sample. */
enum { SIDES = 8 };
typedef double Sides __attribute__((vector_size(SIDES * sizeof(double))));

WITHIN void energy_of(const float *sound, int64_t samples, const double *sections, double *s, double *into) {
    double energy = 0.0, y, z;
    for (int64_t i = 0; i < samples; i++) {
        const double x = (double)sound[i];
        WEIGHTED(x, z, y, s);
        energy += z * z;
    }
    *into += energy;
}

/* SIDES stretches of `blocks` blocks, end to end. All but the first begin from silence, `settle` samples earlier. */
WITHIN void energy_side_by_side(const float *sound, int64_t blocks, int64_t block, int64_t settle,
                                const double *sections, double *state, double *into) {
    const int64_t stretch = blocks * block;
    Sides s[4] = {{0}}, x = {0}, y, z;
    for (int64_t i = -settle; i < 0; i++) {
        for (int side = 1; side < SIDES; side++)
            x[side] = (double)sound[side * stretch + i];
        WEIGHTED(x, z, y, s);
    }
    for (int j = 0; j < 4; j++)
        s[j][0] = state[j];
    for (int64_t number = 0; number < blocks; number++) {
        Sides energy = {0};
        for (int64_t i = number * block; i < (number + 1) * block; i++) {
            for (int side = 0; side < SIDES; side++)
                x[side] = (double)sound[side * stretch + i];
            WEIGHTED(x, z, y, s);
            energy += z * z;
        }
        for (int side = 0; side < SIDES; side++)
            into[side * blocks + number] += energy[side];
    }
    for (int j = 0; j < 4; j++)
        state[j] = s[j][SIDES - 1];
}

/* The energy of what leaves both sections, in blocks of `block` samples, added to `into`; the first has `filled` samples
 * already. `sections` has b0, b1, b2, a1, a2 of each, `state` two numbers of each; after `settle` samples nothing is left
 * of the state before them. */
EVERYWHERE
void weighted_energy(const float *sound, int64_t samples, const double *sections, double *state, int64_t block,
                     int64_t filled, int64_t settle, double *into) {
    int64_t i = samples < block - filled ? samples : block - filled;
    energy_of(sound, i, sections, state, into++);
    const int64_t blocks = (samples - i) / block / SIDES;
    if (blocks * block > settle) {
        energy_side_by_side(sound + i, blocks, block, settle, sections, state, into);
        i += SIDES * blocks * block;
        into += SIDES * blocks;
    }
    for (; i < samples; i += block)
        energy_of(sound + i, samples - i < block ? samples - i : block, sections, state, into++);
    /* In silence the state would shrink to numbers that processors are slow with. */
    for (int j = 0; j < 4; j++)
        state[j] = fabs(state[j]) < 1e-30 ? 0.0 : state[j];
}

/* So many samples are compared at once. */
enum { ABREAST = 16 };
typedef float Abreast __attribute__((vector_size(ABREAST * sizeof(float))));
typedef int32_t Chosen __attribute__((vector_size(ABREAST * sizeof(int32_t))));
#define WHERE(chosen, a, b) ((Abreast)(((chosen) & (Chosen)(a)) | (~(chosen) & (Chosen)(b))))

/* Stretches that are looked into sample by sample where something in them is high. */
enum { LOOKED_INTO = 128 };

WITHIN float highest_of(const float *sound, int64_t samples) {
    float highest = 0.0f;
    int64_t i = 0;
    Abreast x, high = {0};
    for (; i + ABREAST <= samples; i += ABREAST) {
        memcpy(&x, sound + i, sizeof x);
        x = WHERE(x < 0.0f, -x, x);
        high = WHERE(x > high, x, high);
    }
    for (int j = 0; j < ABREAST; j++)
        highest = high[j] > highest ? high[j] : highest;
    for (; i < samples; i++)
        highest = fabsf(sound[i]) > highest ? fabsf(sound[i]) : highest;
    return highest;
}

/* The highest level of samples and of what `count` filters make of the sound beside those above `near` times that. All
 * but `taps` / 2 samples before and after are looked at; what has been the highest before is raised. */
EVERYWHERE
double true_peak(const float *sound, int64_t samples, const float *filters, int64_t count, int64_t taps, double near,
                 double before) {
    const int64_t first = taps / 2, last = samples - taps / 2;
    float highest = (float)before;
    const float loudest = highest_of(sound + first, last - first);
    highest = loudest > highest ? loudest : highest;
    const float enough = (float)near * highest;
    int64_t done = -1;
    for (int64_t from = first; from < last; from += LOOKED_INTO) {
        const int64_t to = from + LOOKED_INTO < last ? from + LOOKED_INTO : last;
        if (highest_of(sound + from, to - from) <= enough)
            continue;
        for (int64_t i = from; i < to; i++) {
            if (fabsf(sound[i]) <= enough)
                continue;
            /* Before it and after it; between two high samples once. */
            for (int64_t gap = i > done ? i : done + 1; gap <= i + 1; gap++)
                for (int64_t filter = 0; filter < count; filter++) {
                    const float *at = sound + gap - taps / 2, *by = filters + filter * taps;
                    float sum = 0.0f;
                    for (int64_t tap = 0; tap < taps; tap++)
                        sum += at[tap] * by[tap];
                    highest = fabsf(sum) > highest ? fabsf(sum) : highest;
                }
            done = i + 1;
        }
    }
    return highest;
}

/* Minimum, maximum and energy of each `bin` samples. */
EVERYWHERE
void extremes(const float *sound, int64_t bins, int64_t bin, float *into) {
    for (int64_t k = 0; k < bins; k++, sound += bin, into += 3) {
        float least = sound[0], most = sound[0], sum = 0.0f;
        int64_t i = 0;
        if (bin >= ABREAST) {
            Abreast x, low, high, energy = {0};
            memcpy(&low, sound, sizeof low);
            high = low;
            for (; i + ABREAST <= bin; i += ABREAST) {
                memcpy(&x, sound + i, sizeof x);
                low = WHERE(x < low, x, low);
                high = WHERE(x > high, x, high);
                energy += x * x;
            }
            for (int j = 0; j < ABREAST; j++) {
                least = low[j] < least ? low[j] : least;
                most = high[j] > most ? high[j] : most;
                sum += energy[j];
            }
        }
        for (; i < bin; i++) {
            least = sound[i] < least ? sound[i] : least;
            most = sound[i] > most ? sound[i] : most;
            sum += sound[i] * sound[i];
        }
        into[0] = least;
        into[1] = most;
        into[2] = sum;
    }
}

/* Complex numbers side by side: real and imaginary parts exchanged, and either one in place of both. */
#define EXCHANGED(a) __builtin_shufflevector(a, a, 1, 0, 3, 2, 5, 4, 7, 6, 9, 8, 11, 10, 13, 12, 15, 14)
#define REAL(a) __builtin_shufflevector(a, a, 0, 0, 2, 2, 4, 4, 6, 6, 8, 8, 10, 10, 12, 12, 14, 14)
#define IMAGINARY(a) __builtin_shufflevector(a, a, 1, 1, 3, 3, 5, 5, 7, 7, 9, 9, 11, 11, 13, 13, 15, 15)
static const Abreast MINUS_FIRST = {-1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1, -1, 1};

/* Their products; no function, for not every set of instructions hands such vectors over alike. */
#define TIMES(a, b) ((a) * REAL(b) + MINUS_FIRST * EXCHANGED(a) * IMAGINARY(b))

/* The numbers that stand 8, 4 and 2 further on. */
#define EIGHT_ON(a) __builtin_shufflevector(a, a, 8, 9, 10, 11, 12, 13, 14, 15, 0, 1, 2, 3, 4, 5, 6, 7)
#define FOUR_ON(a) __builtin_shufflevector(a, a, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 0, 1, 2, 3)
#define TWO_ON(a) __builtin_shufflevector(a, a, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15, 0, 1)

/* One row of `fold_products`; returns the energy. */
EVERYWHERE
static double fold_product(const float *ours, const float *theirs, int64_t bins, int64_t first, double lag, int64_t size,
                           const float *taps, int64_t twice, int64_t reach, int64_t every, float *product, float *into,
                           int64_t kept) {
    float lane_real[LANES], lane_imag[LANES], lanes[2 * LANES];
    double beyond[2];
    lane_phases(bin_angle(1, lag, size), lane_real, lane_imag, beyond);
    for (int k = 0; k < LANES; k++) {
        lanes[2 * k] = lane_real[k];
        lanes[2 * k + 1] = lane_imag[k];
    }
    memset(product, 0, 2 * (size_t)reach * sizeof(float));
    memset(product + 2 * (reach + bins), 0, 2 * (size_t)(reach + ABREAST) * sizeof(float));
    double energy = 0.0, re = cos(bin_angle(first, lag, size)), im = sin(bin_angle(first, lag, size));
    for (int64_t from = 0; from < bins; from += LANES) {
        const float real = (float)re, imag = (float)im;
        turn(&re, &im, beyond[0], beyond[1]);
        const int64_t here = bins - from < LANES ? bins - from : LANES;
        const float *a = ours + 2 * from, *b = theirs + 2 * from;
        float *at = product + 2 * (reach + from);
        Abreast turned, x, y, squares = {0};
        for (int j = 0; j < ABREAST; j += 2) {
            turned[j] = real;
            turned[j + 1] = imag;
        }
        int64_t k = 0;
        for (; k + ABREAST / 2 <= here; k += ABREAST / 2) {
            Abreast lane;
            memcpy(&x, a + 2 * k, sizeof x);
            memcpy(&y, b + 2 * k, sizeof y);
            memcpy(&lane, lanes + 2 * k, sizeof lane);
            y *= -MINUS_FIRST;
            x = TIMES(x, y);
            squares += x * x;
            lane = TIMES(turned, lane);
            x = TIMES(x, lane);
            memcpy(at + 2 * k, &x, sizeof x);
        }
        float sum = 0.0f;
        for (int j = 0; j < ABREAST; j++)
            sum += squares[j];
        for (; k < here; k++) {
            const float turn_real = real * lane_real[k] - imag * lane_imag[k];
            const float turn_imag = real * lane_imag[k] + imag * lane_real[k];
            const float c = a[2 * k] * b[2 * k] + a[2 * k + 1] * b[2 * k + 1];
            const float d = a[2 * k + 1] * b[2 * k] - a[2 * k] * b[2 * k + 1];
            sum += c * c + d * d;
            at[2 * k] = c * turn_real - d * turn_imag;
            at[2 * k + 1] = c * turn_imag + d * turn_real;
        }
        energy += sum;
    }
    memset(into, 0, 2 * (size_t)kept * sizeof(float));
    for (int64_t m = 0; m < kept; m++) {
        const int64_t centre = m * every - first;
        if (centre < 0 || centre >= bins)
            continue;
        const float *at = product + 2 * centre;
        Abreast x, y, sums = {0};
        for (int64_t j = 0; j < twice; j += ABREAST) {
            memcpy(&x, taps + j, sizeof x);
            memcpy(&y, at + j, sizeof y);
            sums += x * y;
        }
        /* Halves are added to halves: one number after the other would take longer than all taps. */
        sums += EIGHT_ON(sums);
        sums += FOUR_ON(sums);
        sums += TWO_ON(sums);
        into[2 * m] = sums[0];
        into[2 * m + 1] = sums[1];
    }
    return energy;
}

/* Correlations that are wanted near one of `lags` only, row by row: ours times conj(theirs), turned so that the lag
 * (samples of `size`) comes to 0, smoothed by taps from -reach on and kept at every `every`th bin. Row bin k is bin `first`
 * + k of the spectrum. Each tap stands twice, for both parts of a number, zeros fill the last ABREAST. `product` is
 * scratch, `bins` + 2 * reach + ABREAST complex numbers. `into` has `kept` bins a row, from bin 0 on. */
void fold_products(const float *const *ours, const float *const *theirs, const double *lags, int64_t rows, int64_t bins,
                   int64_t first, int64_t size, const float *taps, int64_t twice, int64_t reach, int64_t every,
                   float *product, float *into, int64_t kept, double *energies) {
    for (int64_t row = 0; row < rows; row++)
        energies[row] = fold_product(ours[row], theirs[row], bins, first, lags[row], size, taps, twice, reach, every,
                                     product, into + 2 * kept * row, kept);
}

/* A spectrum divided by its own magnitude's mean over `reach` bins on either side, the first and the last bin repeated
 * beyond the edges, but by no less than `least` times the largest such mean; 0 where `steady`. `magnitude` is scratch,
 * `bins` + 2 * reach numbers, `smooth` `bins`. */
EVERYWHERE
void whiten(const float *spectrum, int64_t bins, int64_t reach, double least, const uint8_t *steady, float *magnitude,
            float *smooth, float *into) {
    for (int64_t k = 0; k < bins; k++)
        magnitude[reach + k] = sqrtf(spectrum[2 * k] * spectrum[2 * k] + spectrum[2 * k + 1] * spectrum[2 * k + 1]);
    for (int64_t k = 0; k < reach; k++) {
        magnitude[k] = magnitude[reach];
        magnitude[reach + bins + k] = magnitude[reach + bins - 1];
    }
    const double share = 1.0 / (double)(2 * reach + 1);
    double sum = 0.0, largest = 0.0;
    for (int64_t k = 0; k < 2 * reach; k++)
        sum += magnitude[k];
    for (int64_t k = 0; k < bins; k++) {
        sum += magnitude[k + 2 * reach];
        largest = sum > largest ? sum : largest;
        smooth[k] = (float)(sum * share);
        sum -= magnitude[k];
    }
    const float floor = (float)(least * largest * share) + 1e-20f;
    for (int64_t k = 0; k < bins; k++) {
        const float scale = steady[k] ? 0.0f : 1.0f / (smooth[k] > floor ? smooth[k] : floor);
        into[2 * k] = spectrum[2 * k] * scale;
        into[2 * k + 1] = spectrum[2 * k + 1] * scale;
    }
}

/* Of every two lags from 2 * -reach on the one that is larger in magnitude, times the row's scale; what is above `full`
 * grows with its logarithm only. A row holds `size` lags in a circle, an even number, 0 first. */
EVERYWHERE
void pool_lags(const float *curves, int64_t rows, int64_t size, const double *scales, int64_t reach, double full,
               float *into) {
    for (int64_t row = 0; row < rows; row++, curves += size) {
        const float scale = (float)scales[row], most = (float)full;
        int64_t at = (size - 2 * reach % size) % size;
        for (int64_t k = -reach; k <= reach; k++, at = at + 2 == size ? 0 : at + 2) {
            const float one = curves[at] * scale, other = curves[at + 1] * scale;
            float larger = fabsf(one) >= fabsf(other) ? one : other;
            if (fabsf(larger) > most)
                larger = copysignf(most * (1.0f + logf(fabsf(larger) / most)), larger);
            *into++ = larger;
        }
    }
}

/* The largest magnitude among sums of `inner` neighbouring numbers' columns: for each of `slopes` lines one stretch of
 * each row, begun at starts[slope * rows + row]. `sum` is scratch, `inner` numbers; found = slope, column, magnitude. */
EVERYWHERE
void best_line(const float *values, int64_t rows, int64_t width, const int32_t *starts, int64_t slopes, int64_t inner,
               float *sum, double *found) {
    found[0] = found[1] = 0.0;
    found[2] = -1.0;
    for (int64_t slope = 0; slope < slopes; slope++, starts += rows) {
        memcpy(sum, values + starts[0], (size_t)inner * sizeof(float));
        for (int64_t row = 1; row < rows; row++) {
            const float *at = values + row * width + starts[row];
            for (int64_t i = 0; i < inner; i++)
                sum[i] += at[i];
        }
        for (int64_t i = 0; i < inner; i++)
            if (fabsf(sum[i]) > found[2]) {
                found[0] = (double)slope;
                found[1] = (double)i;
                found[2] = fabsf(sum[i]);
            }
    }
}

WITHIN float apart(const float *a, const float *b, int64_t dims) {
    float sum = 0.0f;
    for (int64_t i = 0; i < dims; i++)
        sum += (a[i] - b[i]) * (a[i] - b[i]);
    return sum;
}

/* The sum of likeness along the best path to a pair of elements (Smith and Waterman's local alignment with Sakoe and
 * Chiba's symmetric steps) from those to its neighbours: a pair counts twice on a step along both, once, less `gap`, on a
 * step along one alone. from: 0 begins here, 1 from both, 2 from the first alone, 3 from the second alone. */
WITHIN float reached(float corner, float above, float beside, float here, float gap, uint8_t *from) {
    float sum = corner + 2.0f * here;
    uint8_t way = 1;
    if (above + here - gap > sum)
        sum = above + here - gap, way = 2;
    if (beside + here - gap > sum)
        sum = beside + here - gap, way = 3;
    if (sum <= 0.0f)
        sum = 0.0f, way = 0;
    *from = way;
    return sum;
}

WITHIN void passage_rows_of(const float *like, int64_t rows, int64_t m, float gap, int64_t row, float *before,
                            uint8_t *came, double *best, float *before_back, double *best_back) {
    float highest_back = before_back ? (float)*best_back : 0.0f;
    for (int64_t i = 0; i < rows; i++, like += m, came += m) {
        float corner = 0.0f, beside = 0.0f, corner_back = 0.0f, beside_back = 0.0f;
        for (int64_t j = 0; j < m; j++) {
            const float above = before[j + 1], sum = reached(corner, above, beside, like[j], gap, came + j);
            corner = above;
            before[j + 1] = beside = sum;
            if ((double)sum > best[0]) {
                best[0] = (double)sum;
                best[1] = (double)(row + i);
                best[2] = (double)j;
            }
            if (before_back) {
                uint8_t from;
                const float above_back = before_back[j + 1];
                const float back = reached(corner_back, above_back, beside_back, like[m - 1 - j], gap, &from);
                corner_back = above_back;
                before_back[j + 1] = beside_back = back;
                highest_back = back > highest_back ? back : highest_back;
            }
        }
    }
    if (before_back)
        *best_back = (double)highest_back;
}

/* Some rows of such sums, of likenesses like[i * m + j]; came: how each was reached. `before`: the row above, m + 1
 * numbers; is left as the last row. best: the highest sum so far, its row and column, rows counted from `row` on.
 * With `before_back` also the sums along the second sequence backwards, of which only the highest is told: side by side,
 * for each waits for its own last sum. */
EVERYWHERE
void passage_rows(const float *like, int64_t rows, int64_t m, float gap, int64_t row, float *before, uint8_t *came,
                  double *best, float *before_back, double *best_back) {
    if (before_back)
        passage_rows_of(like, rows, m, gap, row, before, came, best, before_back, best_back);
    else
        passage_rows_of(like, rows, m, gap, row, before, came, best, 0, 0);
}

/* Where in the second sequence each element of the first belongs, over all paths at once: the forward and backward sums
 * of a hidden Markov model (Rabiner, Proc. IEEE 77, 1989), whose states are the columns of a band, with symmetric steps.
 * Row i of the band begins at column starts[i] and is `width` wide. Each cell counts exp(-sharpness * squared distance),
 * twice on a step along both; a step along one alone counts `gap` times. `forward` and `apart_by` have n * width
 * numbers, so has `weights`, `rows` 3 * width. into: for each row the mean column around the likeliest one (within `reach`), the standard
 * deviation of all, and the mean squared distance; -1 for it where nothing of the band lies within the second. */
EVERYWHERE
void likely_course(const float *first, const float *second, int64_t n, int64_t m, int64_t dims, const int64_t *starts,
                   int64_t width, double sharpness, double gap, int64_t reach, double *forward, float *apart_by,
                   float *weights, double *rows, double *into) {
    double *backward = rows, *next = rows + width, *likely = next + width;
    for (int64_t i = 0; i < n; i++) {
        float *distance = apart_by + i * width, *weight = weights + i * width;
        for (int64_t k = 0; k < width; k++) {
            const int64_t j = starts[i] + k;
            const int there = j >= 0 && j < m;
            distance[k] = there ? apart(first + i * dims, second + j * dims, dims) : -1.0f;
            weight[k] = there ? (float)exp(-sharpness * (double)distance[k]) : 0.0f;
        }
        const double *old = forward + (i - 1) * width;
        double *now = forward + i * width, total = 0.0, beside = 0.0;
        const int64_t moved = i ? starts[i] - starts[i - 1] : 0;
        for (int64_t k = 0; k < width; k++) {
            double sum = 1.0;
            if (i) {
                const int64_t at = k + moved;
                sum = gap * beside;
                if (at > 0 && at <= width)
                    sum += old[at - 1] * (double)weight[k];
                if (at >= 0 && at < width)
                    sum += gap * old[at];
            }
            now[k] = beside = sum * (double)weight[k];
            total += now[k];
        }
        for (int64_t k = 0; k < width; k++)
            now[k] = total > 0.0 ? now[k] / total : 1.0 / (double)width;
    }
    for (int64_t i = n - 1; i >= 0; i--) {
        const float *distance = apart_by + i * width, *weight = weights + i * width, *below = weight + width;
        const int64_t moved = i < n - 1 ? starts[i + 1] - starts[i] : 0;
        double total = 0.0, beside = 0.0, seen = 0.0;
        /* `next` holds what follows each cell of the row below, weighted already by that cell. */
        for (int64_t k = width - 1; k >= 0; k--) {
            double sum = 1.0;
            if (i < n - 1) {
                const int64_t at = k - moved;
                sum = gap * beside;
                if (at >= -1 && at < width - 1)
                    sum += next[at + 1] * (double)below[at + 1];
                if (at >= 0 && at < width)
                    sum += gap * next[at];
            }
            backward[k] = sum;
            beside = sum * (double)weight[k];
            total += sum;
        }
        int64_t mode = 0;
        for (int64_t k = 0; k < width; k++) {
            backward[k] = total > 0.0 ? backward[k] / total : 1.0 / (double)width;
            likely[k] = forward[i * width + k] * backward[k];
            seen += likely[k];
            if (likely[k] > likely[mode])
                mode = k;
        }
        double near = 0.0, mean = 0.0, square = 0.0, distances = 0.0, inside = 0.0;
        for (int64_t k = 0; k < width; k++) {
            const double share = seen > 0.0 ? likely[k] / seen : 1.0 / (double)width;
            if (k >= mode - reach && k <= mode + reach) {
                near += share;
                mean += share * (double)k;
            }
            if (distance[k] >= 0.0f) {
                distances += share * (double)distance[k];
                inside += share;
            }
            likely[k] = share;
        }
        mean /= near;
        for (int64_t k = 0; k < width; k++)
            square += likely[k] * ((double)k - mean) * ((double)k - mean);
        into[3 * i] = (double)starts[i] + mean;
        into[3 * i + 1] = sqrt(square);
        into[3 * i + 2] = inside > 0.0 ? distances / inside : -1.0;
        for (int64_t k = 0; k < width; k++)
            next[k] = backward[k] * (double)weight[k];
    }
}

/* The best path of a walk through rows of gains: one column a row, `most` columns to either side from row to row, and
 * `price` for each such step. `rows` holds two rows with `most` more columns at both ends, `came` a step for each value. */
EVERYWHERE
double best_walk(const float *gains, int64_t count, int64_t columns, const float *price, int64_t most, float *rows,
                 int8_t *came, int64_t *path) {
    const int64_t width = columns + 2 * most;
    float *before = rows, *now = rows + width;
    for (int64_t k = 0; k < 2 * width; k++)
        rows[k] = -INFINITY;
    memcpy(before + most, gains, (size_t)columns * sizeof(float));
    for (int64_t i = 1; i < count; i++) {
        const float *gain = gains + i * columns;
        int8_t *from = came + i * columns;
        for (int64_t first = 0; first < columns; first += STRETCH) {
            const int64_t here = columns - first < STRETCH ? columns - first : STRETCH;
            float best[STRETCH];
            int32_t step[STRETCH];
            for (int64_t k = 0; k < here; k++) {
                best[k] = before[first + k] - price[0];
                step[k] = 0;
            }
            for (int32_t d = 1; d <= 2 * most; d++)
                for (int64_t k = 0; k < here; k++) {
                    const float reached = before[first + k + d] - price[d];
                    step[k] = reached > best[k] ? d : step[k];
                    best[k] = reached > best[k] ? reached : best[k];
                }
            for (int64_t k = 0; k < here; k++) {
                now[most + first + k] = best[k] + gain[first + k];
                from[first + k] = (int8_t)(step[k] - most);
            }
        }
        float *other = before;
        before = now;
        now = other;
    }
    int64_t at = 0;
    for (int64_t k = 1; k < columns; k++)
        at = before[most + k] > before[most + at] ? k : at;
    const double total = before[most + at];
    for (int64_t i = count - 1; i > 0; i--) {
        path[i] = at;
        at += came[i * columns + at];
    }
    path[0] = at;
    return total;
}
