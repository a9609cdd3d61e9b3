use std::collections::HashMap;

use super::{Cell, Room, Row, Sheet, Tone, column};

impl Sheet {
    /// What is different in another sheet of the same topic: one row for each cell that changed, and
    /// for each row that is only here or only there.
    ///
    /// Rows are the same that have the same first cells, as many as [`keys`](Self::keys) says.
    pub fn changes_to(&self, after: &Self) -> Self {
        let key = |row: &Row| -> Vec<String> {
            row.cells[..self.keys].iter().map(|cell| cell.shown(" ")).collect()
        };
        let there: HashMap<Vec<String>, &Row> =
            after.rows.iter().map(|row| (key(row), row)).collect();
        let here: HashMap<Vec<String>, &Row> =
            self.rows.iter().map(|row| (key(row), row)).collect();
        let mut rows = Vec::new();
        let mut add = |row: &Row, what: &str, before: Cell, after: Cell, tone: Tone| {
            let mut cells = row.cells[..self.keys].to_vec();
            cells.extend([Cell::text(what), before, after]);
            rows.push(Row { cells, tone, about: row.about.clone() });
        };
        for row in &self.rows {
            let Some(other) = there.get(&key(row)) else {
                add(row, "the whole row", Cell::text("there"), Cell::text("gone"), Tone::Down);
                continue;
            };
            for index in self.keys..self.columns.len() {
                if row.cells[index] != other.cells[index] {
                    let (before, after) = (row.cells[index].clone(), other.cells[index].clone());
                    add(row, &self.columns[index].title, before, after, other.tone);
                }
            }
        }
        for row in after.rows.iter().filter(|row| !here.contains_key(&key(row))) {
            add(row, "the whole row", Cell::text("not there"), Cell::text("new"), row.tone);
        }
        let mut columns = self.columns[..self.keys].to_vec();
        columns.extend([
            column("what", "what changes", Room::Whole),
            column("before", "before", Room::Lines(44)),
            column("after", "after", Room::Lines(44)),
        ]);
        let title = match rows.is_empty() {
            true => format!("{}: nothing changes", self.topic),
            false if self.title == after.title => format!("{}\nWhat changes:", self.title),
            false => format!("Before: {}\nAfter:  {}", self.title, after.title),
        };
        Self { topic: self.topic, title, keys: self.keys, columns, rows }
    }
}
