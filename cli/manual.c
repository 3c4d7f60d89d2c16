// SPDX-License-Identifier: GPL-3.0-or-later
// The manual page and the completion, from the same text as --help.
#include "cli.h"

#include <string.h>

static void print_roff(const char *text) {
    for (const char *at = text; *at != '\0'; at++) {
        bool line_start = at == text || at[-1] == '\n';
        if (line_start && (*at == '.' || *at == '\'')) {
            fputs("\\&", stdout);
        }
        if (*at == '\\') {
            fputs("\\\\", stdout);
        } else if (*at == '-') {
            fputs("\\-", stdout);
        } else if (*at == '\n' && at[1] == '\n') {
            fputs("\n.PP\n", stdout);
            at++;
        } else {
            putchar(*at);
        }
    }
    putchar('\n');
}

static void print_option(const GOptionEntry *option) {
    printf(".TP\n.B \\-\\-%s", option->long_name);
    if (option->arg_description != NULL) {
        printf(" \\fI%s\\fR", option->arg_description);
    }
    putchar('\n');
    print_roff(option->description);
}

void cli_print_manual(const cli_command *const *commands) {
    puts(".\\\" SPDX-License-Identifier: GPL-3.0-or-later");
    puts(".TH CAMMINO 1 \"\" \"cammino " CAMMINO_VERSION "\" \"User commands\"");
    puts(".SH NAME\ncammino \\- line and boundary routines for small robots, on a simulated robot");
    puts(".SH SYNOPSIS");
    for (const cli_command *const *c = commands; *c != NULL; c++) {
        printf(".B cammino %s\n%s%s.br\n", (*c)->name, (*c)->arguments,
               *(*c)->arguments != '\0' ? "\n" : "");
    }
    for (const cli_command *const *c = commands; *c != NULL; c++) {
        printf(".SH cammino %s\n", (*c)->name);
        print_roff((*c)->summary);
        puts(".PP");
        print_roff((*c)->text);
        for (const GOptionEntry *option = (*c)->options; option->long_name != NULL; option++) {
            print_option(option);
        }
        puts(".PP\nExample:\n.nf");
        print_roff((*c)->example);
        puts(".fi");
    }
    puts(".SH EXIT STATUS\n0 done; 1 the robot failed; 2 the call or a file is wrong.");
}

void cli_print_completion(const cli_command *const *commands) {
    puts("# SPDX-License-Identifier: GPL-3.0-or-later\n_cammino() {\n"
         "    local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD-1]}\n"
         "    case $before in\n"
         "        --view) COMPREPLY=($(compgen -W 'mat strip' -- \"$word\")); return ;;\n"
         "        --over) COMPREPLY=($(compgen -W 'way time' -- \"$word\")); return ;;\n"
         "    esac");
    fputs("    if [ \"$COMP_CWORD\" -eq 1 ]; then\n        COMPREPLY=($(compgen -W '", stdout);
    for (const cli_command *const *c = commands; *c != NULL; c++) {
        printf("%s ", (*c)->name);
    }
    puts("--help --version' -- \"$word\"))\n        return\n    fi\n    local options=\n"
         "    case ${COMP_WORDS[1]} in");
    for (const cli_command *const *c = commands; *c != NULL; c++) {
        printf("        %s) options='", (*c)->name);
        for (const GOptionEntry *option = (*c)->options; option->long_name != NULL; option++) {
            printf("--%s ", option->long_name);
        }
        puts("--help' ;;");
    }
    puts("    esac\n    case $word in\n"
         "        -*) COMPREPLY=($(compgen -W \"$options\" -- \"$word\")) ;;\n"
         "        *) COMPREPLY=($(compgen -f -- \"$word\")) ;;\n    esac\n}\n"
         "complete -o filenames -F _cammino cammino");
}
