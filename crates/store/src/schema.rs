//! The tables as Diesel sees them; kept in step with `migrations/` by hand, and checked by the tests that use each.
#![allow(missing_docs, unreachable_pub)]

diesel::table! {
    users (id) {
        id -> Unsigned<Integer>, sign_in -> Varchar, name -> Varchar, role -> Varchar, password_hash -> Varchar, epoch -> Unsigned<Integer>,
        closed_at -> Nullable<Datetime>, made_at -> Nullable<Datetime>, demo -> Unsigned<Tinyint>,
    }
}
diesel::table! {
    invitations (digest) {
        digest -> Char, user_id -> Nullable<Unsigned<Integer>>, made_by -> Nullable<Unsigned<Integer>>, made_at -> Datetime, until -> Datetime,
        used_at -> Nullable<Datetime>,
    }
}
diesel::table! { sign_in_tries (counted_by) { counted_by -> Char, tries -> Unsigned<Integer>, free_at -> Datetime, last_at -> Datetime, } }
diesel::table! {
    sections (id) {
        id -> Unsigned<Integer>, name -> Varchar, position -> Integer, term_id -> Unsigned<Integer>, closed_at -> Nullable<Datetime>,
    }
}
diesel::table! { terms (id) { id -> Unsigned<Integer>, name -> Varchar, ended_at -> Datetime, ended_by -> Nullable<Unsigned<Integer>>, } }
diesel::table! { term_labs (term_id, lab_id) { term_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, protocol_id -> Unsigned<Integer>, } }
diesel::table! {
    rulings (id) {
        id -> Unsigned<Integer>, term_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, section_id -> Nullable<Unsigned<Integer>>,
        pattern -> Text, reason -> Varchar, touched -> Unsigned<Integer>, user_id -> Unsigned<Integer>, at -> Datetime,
        withdrawn_by -> Nullable<Unsigned<Integer>>, withdrawn_at -> Nullable<Datetime>, withdrawn_why -> Varchar,
    }
}
diesel::table! {
    removals (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, whole_lab -> Bool, reason -> Varchar, user_id -> Unsigned<Integer>,
        at -> Datetime, back_at -> Nullable<Datetime>,
    }
}
diesel::table! { user_sections (user_id, section_id) { user_id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, } }
diesel::table! { teams (id) { id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, name -> Varchar, } }
diesel::table! {
    protocols (id) {
        id -> Unsigned<Integer>, slug -> Varchar, version -> Unsigned<Integer>, digest -> Char, title -> Varchar,
        source -> Mediumtext, loaded_at -> Datetime,
    }
}
diesel::table! { labs (id) { id -> Unsigned<Integer>, slug -> Varchar, protocol_id -> Unsigned<Integer>, in_force_since -> Nullable<Datetime>,
on_term_since -> Nullable<Datetime>, retired_at -> Nullable<Datetime>, } }
diesel::table! {
    imports (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, user_id -> Nullable<Unsigned<Integer>>, file_name -> Varchar, digest -> Char,
        body -> Longblob, state -> Varchar, offered_at -> Datetime, taken_at -> Nullable<Datetime>, unreadable -> Varchar,
        replaces -> Bool, term_id -> Unsigned<Integer>,
    }
}
diesel::table! {
    sheets (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, submission_id -> Nullable<Unsigned<Integer>>,
        version -> Unsigned<Integer>, state -> Varchar, station -> Varchar, awarded -> Numeric, decided -> Numeric, possible -> Numeric,
        open_findings -> Unsigned<Integer>, hanging -> Numeric, mark -> Varchar, headline -> Varchar, profile -> Varchar,
        judged_with -> Char, signed_by -> Nullable<Unsigned<Integer>>, signed_at -> Nullable<Datetime>, returned_at -> Nullable<Datetime>,
        taken_by -> Nullable<Unsigned<Integer>>, taken_until -> Nullable<Datetime>, returns -> Unsigned<Integer>, stage -> Nullable<Unsigned<Tinyint>>, calm -> Nullable<Numeric>,
        outcome -> Char, changed -> Varchar, changed_by -> Varchar, term_id -> Unsigned<Integer>, removal_id -> Nullable<Unsigned<Integer>>,
        pattern -> Varchar, patterns -> Text, essence -> Mediumtext, moved -> Varchar,
    }
}
diesel::table! {
    went_out (sheet_id, number) {
        sheet_id -> Unsigned<Integer>, number -> Unsigned<Integer>, points -> Numeric, possible -> Numeric, score_lines -> Mediumtext, outcome -> Char,
        protocol_id -> Nullable<Unsigned<Integer>>, judged_from -> Nullable<Mediumtext>, user_id -> Nullable<Unsigned<Integer>>, at -> Datetime,
        reason -> Varchar, kept_outcome -> Nullable<Char>,
    }
}
diesel::table! {
    submissions (id) {
        id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>, revision -> Unsigned<Integer>, import_id -> Unsigned<Integer>,
        body -> Mediumtext, digest -> Char, handed_in_at -> Datetime, waiting -> Unsigned<Integer>,
    }
}
diesel::table! {
    decisions (id) {
        id -> Unsigned<Integer>, submission_id -> Unsigned<Integer>, finding -> Varchar, action -> Varchar, points -> Nullable<Numeric>,
        reason -> Varchar, user_id -> Unsigned<Integer>, decided_at -> Datetime, undone_at -> Nullable<Datetime>, text -> Varchar,
    }
}
diesel::table! {
    team_codes (team_id) { team_id -> Unsigned<Integer>, digest -> Char, made_by -> Nullable<Unsigned<Integer>>, made_at -> Datetime, }
}
diesel::table! {
    drafts (team_id, lab_id, version) { team_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, version -> Unsigned<Integer>, body -> Mediumtext, saved_at -> Datetime,
        handed_in -> Bool, }
}
diesel::table! {
    hand_ins (id) {
        id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, import_id -> Unsigned<Integer>, digest -> Char,
        handed_in_at -> Datetime, minutes_late -> Nullable<Unsigned<Integer>>,
    }
}
diesel::table! {
    quarantine (id) {
        id -> Unsigned<Integer>, import_id -> Unsigned<Integer>, line_number -> Unsigned<Integer>, column_number -> Unsigned<Integer>,
        code -> Varchar, what -> Varchar, mend -> Varchar, body -> Text, settled_at -> Nullable<Datetime>, settled_by -> Nullable<Unsigned<Integer>>,
        team_id -> Nullable<Unsigned<Integer>>,
    }
}
diesel::table! {
    events (id) {
        id -> Unsigned<Bigint>, at -> Datetime, user_id -> Nullable<Unsigned<Integer>>, what -> Varchar, about -> Varchar, reason -> Varchar,
        strand -> Nullable<Unsigned<Integer>>, number -> Nullable<Unsigned<Integer>>, before_digest -> Char, digest -> Char,
    }
}
diesel::table! { event_strands (id) { id -> Unsigned<Integer>, begun_at -> Datetime, } }
diesel::table! {
    folder_texts (slug) {
        slug -> Varchar, digest -> Char, version -> Unsigned<Integer>, source -> Mediumtext, state -> Varchar, seen_at -> Datetime,
    }
}
diesel::table! {
    jobs (id) {
        id -> Unsigned<Integer>, kind -> Varchar, lab_id -> Unsigned<Integer>, import_id -> Nullable<Unsigned<Integer>>,
        protocol_id -> Nullable<Unsigned<Integer>>, state -> Varchar, done -> Unsigned<Integer>, total -> Unsigned<Integer>, outcome -> Varchar,
        reason -> Varchar, user_id -> Nullable<Unsigned<Integer>>, tries -> Unsigned<Integer>, lease_by -> Nullable<Char>,
        lease_until -> Nullable<Datetime>, asked_at -> Datetime, ended_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    judged_ahead (job_id, sheet_id) {
        job_id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>, version -> Unsigned<Integer>, awarded -> Numeric, decided -> Numeric,
        possible -> Numeric, open_findings -> Unsigned<Integer>, hanging -> Numeric, mark -> Varchar, headline -> Varchar, profile -> Varchar,
        judged_with -> Char, outcome -> Char, pattern -> Varchar, patterns -> Text, essence -> Mediumtext, moved -> Varchar,
    }
}
diesel::table! {
    section_labs (section_id, lab_id) {
        section_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, version -> Unsigned<Integer>, settings -> Mediumtext, due_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    section_lab_history (id) {
        id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, version -> Unsigned<Integer>,
        settings -> Mediumtext, due_at -> Nullable<Datetime>, reason -> Varchar, user_id -> Unsigned<Integer>, at -> Datetime,
    }
}
diesel::table! {
    students (id) {
        id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, number -> Varchar, name -> Varchar, left_at -> Nullable<Datetime>,
        left_why -> Varchar, term_id -> Unsigned<Integer>,
    }
}
diesel::table! {
    attachments (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, file_name -> Varchar, media -> Varchar,
        digest -> Char, body -> Longblob, user_id -> Nullable<Unsigned<Integer>>, at -> Datetime, about -> Varchar,
    }
}
diesel::table! {
    questions (id) {
        id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>, line_key -> Varchar, says -> Varchar, body -> Varchar, asked_at -> Datetime,
        answer -> Varchar, answered_by -> Nullable<Unsigned<Integer>>, answered_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    outbox (id) {
        id -> Unsigned<Integer>, student_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>,
        number -> Unsigned<Integer>, state -> Varchar, tries -> Unsigned<Integer>, next_at -> Datetime, told -> Varchar,
        made_at -> Datetime, sent_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    second_factors (user_id) {
        user_id -> Unsigned<Integer>, secret -> Char, confirmed_at -> Nullable<Datetime>, last_step -> Unsigned<Bigint>,
    }
}
diesel::table! {
    api_tokens (id) {
        id -> Unsigned<Integer>, user_id -> Unsigned<Integer>, name -> Varchar, digest -> Char, brings -> Bool, made_at -> Datetime,
        until -> Datetime, used_at -> Nullable<Datetime>, closed_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    college_accounts (user_id) {
        user_id -> Unsigned<Integer>, name -> Varchar, subject -> Nullable<Char>, bound_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    college_students (number) {
        number -> Varchar, subject -> Char, bound_at -> Datetime, refused -> Unsigned<Integer>, refused_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    team_ends (team_id) { team_id -> Unsigned<Integer>, ended_at -> Datetime, }
}
diesel::table! {
    draft_books (team_id, lab_id) { team_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, body -> Mediumtext, at -> Datetime, }
}
diesel::table! {
    room_readings (team_id, lab_id, phone) {
        team_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, phone -> Char, body -> Text, at -> Datetime,
    }
}
diesel::table! {
    practice_examples (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, protocol_id -> Unsigned<Integer>, says -> Varchar, body -> Mediumtext,
        truth -> Mediumtext, user_id -> Unsigned<Integer>, at -> Datetime, closed_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    practice_classes (id) {
        id -> Unsigned<Integer>, user_id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, protocol_id -> Unsigned<Integer>, kind -> Varchar,
        begun_at -> Datetime, ended_at -> Nullable<Datetime>, planted -> Unsigned<Integer>, found -> Unsigned<Integer>,
    }
}
diesel::table! {
    practice_tables (class_id, number) {
        class_id -> Unsigned<Integer>, number -> Unsigned<Integer>, body -> Mediumtext, truth -> Mediumtext, decisions -> Mediumtext,
        version -> Unsigned<Integer>, opened_at -> Nullable<Datetime>, signed_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    column_maps (lab_id, head, user_id) {
        lab_id -> Unsigned<Integer>, head -> Char, map -> Text, user_id -> Unsigned<Integer>, at -> Datetime,
    }
}
diesel::table! {
    storeroom_notes (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, key_id -> Varchar, at_value -> Varchar, body -> Varchar,
        user_id -> Unsigned<Integer>, written_at -> Datetime, done_by -> Nullable<Unsigned<Integer>>, done_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    moderation_rounds (id) { id -> Unsigned<Integer>, term_id -> Unsigned<Integer>, opened_by -> Unsigned<Integer>, opened_at -> Datetime, }
}
diesel::table! {
    moderation_words (round_id, user_id) {
        round_id -> Unsigned<Integer>, user_id -> Unsigned<Integer>, remark -> Varchar, read_at -> Datetime,
    }
}
diesel::table! {
    second_marks (id) {
        id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>, submission_id -> Unsigned<Integer>, user_id -> Unsigned<Integer>,
        at_random -> Bool, asked_by -> Unsigned<Integer>, asked_at -> Datetime, marked_at -> Nullable<Datetime>,
        decisions -> Mediumtext, first_points -> Numeric, second_points -> Numeric, twice -> Mediumtext,
    }
}
diesel::table! { settings (name) { name -> Varchar, value -> Text, } }

diesel::joinable!(teams -> sections (section_id));
diesel::joinable!(sheets -> teams (team_id));
diesel::joinable!(sheets -> labs (lab_id));
diesel::joinable!(sheets -> sections (section_id));
diesel::joinable!(students -> teams (team_id));
diesel::joinable!(section_lab_history -> users (user_id));
diesel::joinable!(labs -> protocols (protocol_id));
diesel::joinable!(imports -> users (user_id));
diesel::joinable!(decisions -> users (user_id));
diesel::joinable!(team_codes -> teams (team_id));
diesel::joinable!(hand_ins -> imports (import_id));
diesel::joinable!(outbox -> students (student_id));
diesel::joinable!(quarantine -> imports (import_id));
diesel::joinable!(submissions -> imports (import_id));
diesel::joinable!(user_sections -> sections (section_id));
diesel::joinable!(removals -> users (user_id));
diesel::joinable!(rulings -> users (user_id));
diesel::joinable!(practice_examples -> users (user_id));
diesel::joinable!(practice_tables -> practice_classes (class_id));
diesel::allow_tables_to_appear_in_same_query!(
    users,
    attachments,
    sections,
    user_sections,
    teams,
    protocols,
    labs,
    imports,
    sheets,
    submissions,
    decisions,
    quarantine,
    events,
    jobs,
    judged_ahead,
    went_out,
    students,
    section_lab_history,
    terms,
    term_labs,
    removals,
    rulings,
    storeroom_notes,
    moderation_rounds,
    moderation_words,
    second_marks,
    team_codes,
    draft_books,
    drafts,
    hand_ins,
    questions,
    outbox,
    practice_examples,
    practice_classes,
    practice_tables,
    college_accounts,
    college_students,
    team_ends
);
