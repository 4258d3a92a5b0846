//! The tables as Diesel sees them; kept in step with `migrations/` by hand, and checked by the tests that use each.
#![allow(missing_docs, unreachable_pub)]

diesel::table! { users (id) { id -> Unsigned<Integer>, sign_in -> Varchar, name -> Varchar, role -> Varchar, password_hash -> Varchar, } }
diesel::table! { sections (id) { id -> Unsigned<Integer>, name -> Varchar, position -> Integer, } }
diesel::table! { user_sections (user_id, section_id) { user_id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, } }
diesel::table! { teams (id) { id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, name -> Varchar, } }
diesel::table! {
    protocols (id) {
        id -> Unsigned<Integer>, slug -> Varchar, version -> Unsigned<Integer>, digest -> Char, title -> Varchar,
        source -> Mediumtext, loaded_at -> Datetime,
    }
}
diesel::table! { labs (id) { id -> Unsigned<Integer>, slug -> Varchar, protocol_id -> Unsigned<Integer>, } }
diesel::table! {
    imports (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, user_id -> Unsigned<Integer>, file_name -> Varchar, digest -> Char,
        body -> Longblob, state -> Varchar, offered_at -> Datetime, taken_at -> Nullable<Datetime>,
    }
}
diesel::table! {
    sheets (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, section_id -> Unsigned<Integer>, submission_id -> Nullable<Unsigned<Integer>>,
        version -> Unsigned<Integer>, state -> Varchar, station -> Varchar, awarded -> Varchar, decided -> Varchar, possible -> Varchar,
        open_findings -> Unsigned<Integer>, hanging -> Varchar, mark -> Varchar, headline -> Varchar, profile -> Varchar,
        judged_with -> Char, signed_by -> Nullable<Unsigned<Integer>>, signed_at -> Nullable<Datetime>, returned_at -> Nullable<Datetime>,
        taken_by -> Nullable<Unsigned<Integer>>, taken_until -> Nullable<Datetime>, returned_points -> Nullable<Varchar>,
        returned_lines -> Nullable<Mediumtext>, returns -> Unsigned<Integer>, stage -> Nullable<Unsigned<Tinyint>>, calm -> Nullable<Numeric>,
    }
}
diesel::table! {
    submissions (id) {
        id -> Unsigned<Integer>, sheet_id -> Unsigned<Integer>, revision -> Unsigned<Integer>, import_id -> Unsigned<Integer>,
        body -> Mediumtext, digest -> Char, handed_in_at -> Datetime,
    }
}
diesel::table! {
    decisions (id) {
        id -> Unsigned<Integer>, submission_id -> Unsigned<Integer>, finding -> Varchar, action -> Varchar, points -> Nullable<Varchar>,
        reason -> Varchar, user_id -> Unsigned<Integer>, decided_at -> Datetime, undone_at -> Nullable<Datetime>, text -> Varchar,
    }
}
diesel::table! {
    quarantine (id) {
        id -> Unsigned<Integer>, import_id -> Unsigned<Integer>, line_number -> Unsigned<Integer>, column_number -> Unsigned<Integer>,
        code -> Varchar, what -> Varchar, mend -> Varchar, body -> Text, settled_at -> Nullable<Datetime>, settled_by -> Nullable<Unsigned<Integer>>,
    }
}
diesel::table! { events (id) { id -> Unsigned<Bigint>, at -> Datetime, user_id -> Nullable<Unsigned<Integer>>, what -> Varchar, about -> Varchar, } }
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
diesel::table! { import_progress (import_id) { import_id -> Unsigned<Integer>, done -> Unsigned<Integer>, total -> Unsigned<Integer>, outcome -> Varchar, } }
diesel::table! { students (id) { id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, number -> Varchar, name -> Varchar, } }
diesel::table! {
    attachments (id) {
        id -> Unsigned<Integer>, lab_id -> Unsigned<Integer>, team_id -> Unsigned<Integer>, file_name -> Varchar, media -> Varchar,
        digest -> Char, body -> Longblob, user_id -> Unsigned<Integer>, at -> Datetime,
    }
}
diesel::table! {
    column_maps (lab_id, head) {
        lab_id -> Unsigned<Integer>, head -> Char, map -> Text, user_id -> Unsigned<Integer>, at -> Datetime,
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
diesel::joinable!(quarantine -> imports (import_id));
diesel::joinable!(user_sections -> sections (section_id));
diesel::allow_tables_to_appear_in_same_query!(
    users,
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
    students,
    section_lab_history
);
