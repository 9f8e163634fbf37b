using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class Errands : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "Errands",
                columns: table => new
                {
                    Number = table.Column<long>(type: "INTEGER", nullable: false)
                        .Annotation("Sqlite:Autoincrement", true),
                    Kind = table.Column<string>(type: "TEXT", nullable: false),
                    Cause = table.Column<string>(type: "TEXT", nullable: false),
                    State = table.Column<string>(type: "TEXT", nullable: false),
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    Account = table.Column<string>(type: "TEXT", nullable: false),
                    Run = table.Column<long>(type: "INTEGER", nullable: false),
                    Relocation = table.Column<long>(type: "INTEGER", nullable: false),
                    Text = table.Column<string>(type: "TEXT", nullable: false),
                    RaisedAt = table.Column<long>(type: "INTEGER", nullable: false),
                    Due = table.Column<long>(type: "INTEGER", nullable: false),
                    ClaimedBy = table.Column<string>(type: "TEXT", nullable: true),
                    ClaimedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    EndedBy = table.Column<string>(type: "TEXT", nullable: true),
                    EndedAt = table.Column<long>(type: "INTEGER", nullable: true),
                    Remark = table.Column<string>(type: "TEXT", nullable: true)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Errands", x => x.Number);
                });

            migrationBuilder.CreateIndex(
                name: "IX_Errands_Run_Machine",
                table: "Errands",
                columns: new[] { "Run", "Machine" });
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropTable(
                name: "Errands");
        }
    }
}
