// SPDX-License-Identifier: GPL-3.0-or-later
// A route in the terminal, as fast as it goes or slower: readings, speeds, and a small map.
#include "live.h"

#include <math.h>
#include <signal.h>
#include <string.h>
#include <unistd.h>

#define COLUMNS_NEEDED 80
#define LINES_NEEDED   24
#define MAP_LEFT       (LIVE_LEGS_COLUMNS + 2)
#define MAP_TOP        3
#define MAP_COLUMNS    38
#define MAP_LINES      17
#define BAR_COLUMNS    22
#define FRAME_MS       40

static gint64 seed = 1;
static double speed = 1.0;
static char *robot;

static const GOptionEntry options[] = {
    CLI_ROBOT_OPTION(&robot),
    {"speed", 0, 0, G_OPTION_ARG_DOUBLE, &speed,
     "How fast time goes, 0.05 to 50 times as fast as in truth (default 1)", "X"},
    {"seed", 0, 0, G_OPTION_ARG_INT64, &seed, "Which robot, and which noise (default 1)", "N"},
    {NULL, 0, 0, 0, NULL, NULL, NULL}};

typedef struct view {
    lab_route *route;
    lab_run *run;
    guint at;     // the row shown
    double now_s; // on the run's clock
    bool paused;
    bool over;
    char map[MAP_LINES][MAP_COLUMNS]; // of the mat
    int columns, lines;               // of the map in use
    double cell_mm;                   // across; a cell is twice as high
} view;

static volatile sig_atomic_t caught;

static void catch_signal(int number) {
    caught = number;
}

static const lab_row *row_at(const view *v, guint i) {
    return &g_array_index(v->run->rows, lab_row, MIN(i, v->run->rows->len - 1));
}

static double row_s(const view *v, guint i) {
    return row_at(v, i)->robot.run_us / 1e6;
}

// ----------------------------------------------------------------------------------------- map --

static char map_cell(const cmo_sim_mat *mat, double x_mm, double y_mm, double cell_mm) {
    // The most telling of what lies within the cell: lines are narrower than a cell.
    double dark = 1.0;
    double sum = 0.0;
    unsigned marks = 0;
    unsigned empty = 0;
    for (int i = 0; i < 16; i++) {
        double x = x_mm + (i % 4 - 1.5) * 0.25 * cell_mm;
        double y = y_mm + (i / 4 - 1.5) * 0.5 * cell_mm;
        unsigned inside = cmo_sim_mat_inside(mat, x, y);
        double light = cmo_sim_mat_light(mat, x, y, 0.0);
        marks |= inside;
        empty += inside >> CMO_SIM_VOID & 1U;
        dark = fmin(dark, light);
        sum += light / 16.0;
    }
    if (empty > 8) {
        return '~';
    }
    if (marks & (1U << CMO_SIM_LINE | 1U << CMO_SIM_BOUNDARY)) {
        return '#';
    }
    return marks >> CMO_SIM_DECORATION & 1U ? (sum < 0.4 ? ':' : '.') : ' ';
}

static void draw_up_map(view *v) {
    double width = cmo_sim_mat_width_mm(v->route->mat);
    double height = cmo_sim_mat_height_mm(v->route->mat);
    v->cell_mm = fmax(width / MAP_COLUMNS, height / (2.0 * MAP_LINES));
    v->columns = CLAMP((int)ceil(width / v->cell_mm), 1, MAP_COLUMNS);
    v->lines = CLAMP((int)ceil(height / (2.0 * v->cell_mm)), 1, MAP_LINES);
    for (int line = 0; line < v->lines; line++) {
        for (int column = 0; column < v->columns; column++) {
            double x = (column + 0.5) * v->cell_mm;
            double y = height - (line + 0.5) * 2.0 * v->cell_mm;
            v->map[line][column] = map_cell(v->route->mat, x, y, v->cell_mm);
        }
    }
}

static bool find_cell(const view *v, double x_mm, double y_mm, int *line, int *column) {
    double height = cmo_sim_mat_height_mm(v->route->mat);
    *column = (int)floor(x_mm / v->cell_mm);
    *line = (int)floor((height - y_mm) / (2.0 * v->cell_mm));
    return *column >= 0 && *column < v->columns && *line >= 0 && *line < v->lines;
}

static void draw_map(const view *v) {
    for (int line = 0; line < v->lines; line++) {
        for (int column = 0; column < v->columns; column++) {
            char cell = v->map[line][column];
            chtype paint = cell == '#'   ? (chtype)COLOR_PAIR(PAINT_LINE) | A_BOLD
                           : cell == '~' ? (chtype)COLOR_PAIR(PAINT_VOID)
                                         : (chtype)A_DIM;
            mvaddch(MAP_TOP + line, MAP_LEFT + column, (chtype)(unsigned char)cell | paint);
        }
    }
    int line, column;
    for (guint i = 0; i < v->at; i += 5) {
        const lab_row *row = row_at(v, i);
        if (find_cell(v, row->true_x_mm, row->true_y_mm, &line, &column)) {
            mvaddch(MAP_TOP + line, MAP_LEFT + column, (chtype)'o' | COLOR_PAIR(PAINT_BAR));
        }
    }
    const lab_row *row = row_at(v, v->at);
    if (find_cell(v, row->true_x_mm, row->true_y_mm, &line, &column)) {
        // Eight directions, anticlockwise from the right.
        static const char arrows[] = ">/^\\</v\\";
        int way = (int)floor(row->true_heading_deg / 45.0 + 0.5);
        mvaddch(MAP_TOP + line, MAP_LEFT + column,
                (chtype)(unsigned char)arrows[((way % 8) + 8) % 8] | A_BOLD |
                    COLOR_PAIR(PAINT_ROBOT));
    }
}

// --------------------------------------------------------------------------------------- panel --

// A bar from 0, on a scale from low to high, with a mark at the threshold; a value beyond an end
// stays there.
static void draw_bar(int line, const char *name, double value, double low, double high, double mark,
                     const char *text) {
    mvprintw(line, 1, "%-6s[", name);
    double share = isfinite(value) ? (value - low) / (high - low) : 0.0;
    int end = CLAMP((int)lround(share * BAR_COLUMNS), 0, BAR_COLUMNS);
    int zero = (int)lround(-low / (high - low) * BAR_COLUMNS);
    int marked = isfinite(mark) ? (int)lround((mark - low) / (high - low) * BAR_COLUMNS) : -1;
    for (int i = 0; i < BAR_COLUMNS; i++) {
        chtype cell = i >= MIN(zero, end) && i < MAX(zero, end)
                          ? (chtype)'=' | COLOR_PAIR(PAINT_BAR) | A_BOLD
                          : (chtype)' ';
        mvaddch(line, 8 + i, i == marked ? (chtype)'|' | COLOR_PAIR(PAINT_BAD) | A_BOLD : cell);
    }
    mvprintw(line, 8 + BAR_COLUMNS, "] %s", text);
}

static void draw_readings(const view *v, const cmo_trace_row *row) {
    bool band = isfinite((double)row->band_low) && isfinite((double)row->band_high);
    double threshold = band ? 0.5 * ((double)row->band_low + (double)row->band_high) : NAN;
    mvprintw(3, 1, "readings, reflectance 0 to 1.2");
    for (unsigned i = 0; i < v->route->robot->description.lights && i < 2; i++) {
        char text[16] = "-";
        if (isfinite((double)row->reflectance[i])) {
            g_snprintf(text, sizeof text, "%5.2f", (double)row->reflectance[i]);
        }
        draw_bar(4 + (int)i, cli_side(i), (double)row->reflectance[i], 0.0, 1.2, threshold, text);
    }
    if (band) {
        mvprintw(6, 1, "       | threshold %.2f, +-%.2f", threshold,
                 0.5 * ((double)row->band_high - (double)row->band_low));
    }
    double top = (double)v->route->robot->description.top_speed_mm_s;
    const double speeds[2] = {(double)row->left_mm_s, (double)row->right_mm_s};
    mvprintw(8, 1, "wheels, -%.0f to %.0f mm/s", top, top);
    for (unsigned i = 0; i < 2; i++) {
        char text[16];
        g_snprintf(text, sizeof text, "%5.0f", speeds[i]);
        draw_bar(9 + (int)i, cli_side(i), speeds[i], -top, top, 0.0, text);
    }
}

static void draw_place(const view *v, const lab_row *row) {
    mvprintw(12, 1, "%-12s%8s%8s%9s", "pose", "x mm", "y mm", "heading");
    mvprintw(13, 1, "%-12s%8.1f%8.1f%9.1f", "robot", (double)row->robot.x_mm,
             (double)row->robot.y_mm, (double)row->robot.heading_deg);
    mvprintw(14, 1, "%-12s%8.1f%8.1f%9.1f", "truth", row->true_x_mm, row->true_y_mm,
             row->true_heading_deg);
    cli_live_legs(v->route, v->run, row, v->now_s);
}

// What people see and hear of it.
static void draw_panel(const cmo_sim_panel *panel) {
    static const chtype paint[] = {A_DIM, COLOR_PAIR(PAINT_GOOD) | A_BOLD,
                                   COLOR_PAIR(PAINT_ROBOT) | A_BOLD,
                                   COLOR_PAIR(PAINT_BAD) | A_BOLD};
    mvprintw(2, 1, "lamp ");
    attron(paint[panel->lamp]);
    printw("%-7s", panel->lamp != CMO_SIM_LAMP_OFF ? cmo_sim_lamp_name(panel->lamp) : "-");
    attroff(paint[panel->lamp]);
    printw("display [");
    attron(A_BOLD);
    printw("%-14s", panel->display);
    attroff(A_BOLD);
    printw("] %s", panel->beeps ? "beeps" : "");
}

static void draw(const view *v) {
    erase();
    if (LINES < LINES_NEEDED || COLS < COLUMNS_NEEDED) {
        mvprintw(0, 0, "live needs %d columns and %d lines; here are %d and %d. q quits.",
                 COLUMNS_NEEDED, LINES_NEEDED, COLS, LINES);
        refresh();
        return;
    }
    const lab_row *row = row_at(v, v->at);
    char *base = g_path_get_basename(v->route->path);
    char *name = lab_printable(base);
    attron(A_BOLD);
    mvprintw(0, 1, "%.20s  %.30s", v->route->robot->name, name);
    attroff(A_BOLD);
    g_free(name);
    g_free(base);
    mvprintw(0, 56, "seed %" G_GUINT64_FORMAT, (guint64)v->run->seed);
    mvprintw(1, 1, "leg %u of %u  %-17s  stage %-8s%s", row->leg, v->route->legs,
             cmo_routine_name((cmo_routine_id)row->robot.routine),
             cmo_stage_name((cmo_stage)row->robot.stage), row->robot.halted ? "halted" : "");
    mvprintw(1, 56, "%6.2f of %.2f s", v->now_s, v->run->span_ms / 1000.0);
    draw_panel(&row->panel);
    draw_readings(v, &row->robot);
    draw_place(v, row);
    draw_map(v);
    mvprintw(MAP_TOP + v->lines + 1, MAP_LEFT, "# line  : . decoration  ~ void  o path");
    if (v->over) {
        bool done = v->run->outcome == CMO_OUTCOME_DONE;
        attron(COLOR_PAIR(done ? PAINT_GOOD : PAINT_BAD) | A_BOLD);
        mvprintw(22, 1, "%s", cmo_outcome_name(v->run->outcome));
        attroff(COLOR_PAIR(done ? PAINT_GOOD : PAINT_BAD) | A_BOLD);
    } else {
        mvprintw(22, 1, "%s at %g times true speed", v->paused ? "paused" : "running", speed);
    }
    attron(A_REVERSE);
    mvprintw(23, 0, "%-79s",
             " space pause   s step   r restart   n next seed   + - speed   q quit");
    attroff(A_REVERSE);
    refresh();
}

// ---------------------------------------------------------------------------------------- keys --

static void start_over(view *v, uint64_t run_seed) {
    if (!lab_route_draw(v->route, run_seed, NULL)) {
        return; // a fleet has no such robot
    }
    lab_run_free(v->run);
    v->run = lab_drive(v->route, run_seed);
    v->at = 0;
    v->now_s = row_s(v, 0);
    v->over = false;
}

static void show_until(view *v, double time_s) {
    guint last = v->run->rows->len - 1;
    v->now_s = time_s;
    while (v->at < last && row_s(v, v->at + 1) <= time_s) {
        v->at++;
    }
    if (v->at == last) {
        v->over = true;
        v->now_s = v->run->span_ms / 1000.0;
    }
}

// False: quit.
static bool take_key(view *v, int key) {
    switch (key) {
    case 'q':
    case 'Q':
    case 27:
        return false;
    case ' ':
        v->paused = !v->paused;
        break;
    case 's':
        v->paused = true;
        show_until(v, row_s(v, v->at + 1));
        break;
    case 'r':
        start_over(v, v->run->seed);
        break;
    case 'n':
        start_over(v, v->run->seed + 1);
        break;
    case '+':
    case '=':
        speed = fmin(speed * 2.0, 50.0);
        break;
    case '-':
        speed = fmax(speed / 2.0, 0.05);
        break;
    default:
        break;
    }
    return true;
}

static void show(view *v) {
    gint64 before = g_get_monotonic_time();
    for (;;) {
        gint64 now = g_get_monotonic_time();
        if (!v->paused && !v->over) {
            show_until(v, v->now_s + speed * (now - before) / 1e6);
        }
        before = now;
        draw(v);
        int key = getch();
        if (caught != 0 || (key != ERR && !take_key(v, key))) {
            return;
        }
    }
}

// ----------------------------------------------------------------------------------------- run --

static const int signals[] = {SIGINT, SIGTERM, SIGHUP, SIGQUIT};

static int show_in_terminal(view *v) {
    struct sigaction action = {.sa_handler = catch_signal}, old[G_N_ELEMENTS(signals)];
    sigemptyset(&action.sa_mask);
    for (size_t i = 0; i < G_N_ELEMENTS(signals); i++) {
        sigaction(signals[i], NULL, &old[i]); // before curses puts its own in place
    }
    SCREEN *screen = newterm(NULL, stdout, stdin);
    if (screen == NULL) {
        const char *terminal = g_getenv("TERM");
        return cli_wrong("live: the terminal '%s' is not known; set TERM to what it is",
                         terminal != NULL ? terminal : "");
    }
    for (size_t i = 0; i < G_N_ELEMENTS(signals); i++) {
        sigaction(signals[i], &action, NULL);
    }
    cbreak();
    noecho();
    curs_set(0);
    timeout(FRAME_MS);
    keypad(stdscr, TRUE);
    set_escdelay(50);
    if (has_colors()) {
        start_color();
        use_default_colors();
        init_pair(PAINT_GOOD, COLOR_GREEN, -1);
        init_pair(PAINT_BAD, COLOR_RED, -1);
        init_pair(PAINT_LINE, -1, -1); // on light ground too
        init_pair(PAINT_VOID, COLOR_BLUE, -1);
        init_pair(PAINT_ROBOT, COLOR_YELLOW, -1);
        init_pair(PAINT_BAR, COLOR_CYAN, -1);
    }
    show(v);
    endwin();
    delscreen(screen);
    for (size_t i = 0; i < G_N_ELEMENTS(signals); i++) {
        sigaction(signals[i], &old[i], NULL);
    }
    if (caught != 0) {
        raise(caught); // ends as the signal would have ended it
    }
    return v->run->outcome == CMO_OUTCOME_DONE ? CLI_DONE : CLI_FAILED;
}

static int run(int count, char **arguments) {
    if (count != 1) {
        return cli_wrong("live takes one route, as in: cammino live data/ferry/first-round.yaml");
    }
    if (seed < 0) {
        return cli_wrong("--seed: %" G_GINT64_FORMAT " is out of range; 0 or more", seed);
    }
    if (!(speed >= 0.05 && speed <= 50.0)) {
        return cli_wrong("--speed: %g is out of range; 0.05 to 50", speed);
    }
    lab_route *route = cli_load_route(arguments[0], robot, seed);
    if (route == NULL) {
        return CLI_WRONG;
    }
    int status;
    if (!isatty(STDIN_FILENO) || !isatty(STDOUT_FILENO)) {
        status = cli_wrong("live needs a terminal; without one: cammino drive %s", arguments[0]);
    } else {
        view v = {.route = route};
        GError *error = NULL;
        start_over(&v, (uint64_t)seed);
        draw_up_map(&v);
        if (!lab_check_run(route, v.run, &error)) {
            status = cli_error(error);
        } else if (v.run->rows->len == 0) {
            status = cli_wrong("%s: the first leg was refused", arguments[0]);
        } else {
            status = show_in_terminal(&v);
        }
        lab_run_free(v.run);
    }
    lab_route_free(route);
    return status;
}

const cli_command cli_live = {
    "live",
    "ROUTE",
    "Watch a route in the terminal: readings, threshold, speeds, stage, a small map",
    "Drives the route on the simulated robot and shows it as it goes, in true time, faster or "
    "slower. "
    "Keys: space pauses, s goes on by one tick, r starts anew, n takes the next seed, + and - "
    "change "
    "the speed, q quits. Needs a terminal of 80 columns and 24 lines.",
    "cammino live data/ferry/first-round.yaml --speed 0.5",
    options,
    run};
