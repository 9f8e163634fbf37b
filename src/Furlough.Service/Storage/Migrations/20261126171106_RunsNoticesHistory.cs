using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class RunsNoticesHistory : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_Relocations_Run",
                table: "Relocations");

            migrationBuilder.AddColumn<long>(
                name: "MadeAt",
                table: "Tokens",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "MadeBy",
                table: "Tokens",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "RevokedAt",
                table: "Tokens",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "ApprovedBy",
                table: "Runs",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "MostMachines",
                table: "Runs",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "MostPerRoom",
                table: "Runs",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<int>(
                name: "MostPerVolume",
                table: "Runs",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "HeldAt",
                table: "Machines",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "HeldBy",
                table: "Machines",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "HeldReason",
                table: "Machines",
                type: "TEXT",
                nullable: true);

            migrationBuilder.CreateTable(
                name: "Notices",
                columns: table => new
                {
                    Receiver = table.Column<Guid>(type: "TEXT", nullable: false),
                    Entry = table.Column<long>(type: "INTEGER", nullable: false),
                    Event = table.Column<string>(type: "TEXT", nullable: false),
                    Subject = table.Column<string>(type: "TEXT", nullable: false),
                    Text = table.Column<string>(type: "TEXT", nullable: false),
                    At = table.Column<long>(type: "INTEGER", nullable: false),
                    State = table.Column<string>(type: "TEXT", nullable: false),
                    Attempts = table.Column<int>(type: "INTEGER", nullable: false),
                    NextAt = table.Column<long>(type: "INTEGER", nullable: false),
                    Why = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Notices", x => new { x.Receiver, x.Entry });
                });

            migrationBuilder.CreateTable(
                name: "Receivers",
                columns: table => new
                {
                    Id = table.Column<Guid>(type: "TEXT", nullable: false),
                    Name = table.Column<string>(type: "TEXT", nullable: false),
                    Mail = table.Column<string>(type: "TEXT", nullable: true),
                    Call = table.Column<string>(type: "TEXT", nullable: true),
                    On = table.Column<string>(type: "TEXT", nullable: false),
                    Secret = table.Column<string>(type: "TEXT", nullable: false),
                    AddedBy = table.Column<string>(type: "TEXT", nullable: false),
                    AddedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    Seen = table.Column<long>(type: "INTEGER", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Receivers", x => x.Id);
                });

            migrationBuilder.CreateIndex(
                name: "IX_Relocations_Run_State",
                table: "Relocations",
                columns: new[] { "Run", "State" });

            migrationBuilder.CreateIndex(
                name: "IX_History_Subject",
                table: "History",
                column: "Subject");

            migrationBuilder.CreateIndex(
                name: "IX_Notices_State",
                table: "Notices",
                column: "State");

            migrationBuilder.CreateIndex(
                name: "IX_Receivers_Name",
                table: "Receivers",
                column: "Name",
                unique: true);
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Notices");

            migrationBuilder.DropTable(
                name: "Receivers");

            migrationBuilder.DropIndex(
                name: "IX_Relocations_Run_State",
                table: "Relocations");

            migrationBuilder.DropIndex(
                name: "IX_History_Subject",
                table: "History");

            migrationBuilder.DropColumn(
                name: "MadeAt",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "MadeBy",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "RevokedAt",
                table: "Tokens");

            migrationBuilder.DropColumn(
                name: "ApprovedBy",
                table: "Runs");

            migrationBuilder.DropColumn(
                name: "MostMachines",
                table: "Runs");

            migrationBuilder.DropColumn(
                name: "MostPerRoom",
                table: "Runs");

            migrationBuilder.DropColumn(
                name: "MostPerVolume",
                table: "Runs");

            migrationBuilder.DropColumn(
                name: "HeldAt",
                table: "Machines");

            migrationBuilder.DropColumn(
                name: "HeldBy",
                table: "Machines");

            migrationBuilder.DropColumn(
                name: "HeldReason",
                table: "Machines");

            migrationBuilder.CreateIndex(
                name: "IX_Relocations_Run",
                table: "Relocations",
                column: "Run");
        }
    }
}
