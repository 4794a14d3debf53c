// Package usage tells what a page needs: which of the stylesheets that it loads
// have a selector that matches something on it, and which of the scripts look for
// something that is there, or are named by a script that is needed. It reads
// selectors and hooks from syntax trees and runs nothing. What cannot be seen that
// way it says so, and guesses at nothing.
//
// It is read in this order: a Vocabulary is what selectors can name in a page; a
// Sheet and a Script are what a file asks for; a Library reads each file once; a
// Need is what came out for one thing on one page; a Ledger counts needs over all
// pages and makes Suggestions of them.
package usage
