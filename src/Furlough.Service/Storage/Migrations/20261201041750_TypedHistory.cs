using System;
using Microsoft.EntityFrameworkCore.Migrations;

#nullable disable

namespace Furlough.Service.Storage.Migrations
{
    /// <inheritdoc />
    public partial class TypedHistory : Migration
    {
        /// <inheritdoc />
        protected override void Up(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.CreateTable(
                name: "Surveys",
                columns: table => new
                {
                    Machine = table.Column<Guid>(type: "TEXT", nullable: false),
                    Body = table.Column<string>(type: "TEXT", nullable: false)
                },
                constraints: table =>
                {
                    table.PrimaryKey("PK_Surveys", x => x.Machine);
                });

            migrationBuilder.Sql("INSERT INTO Surveys (Machine, Body) SELECT Id, Survey FROM Machines WHERE Survey IS NOT NULL");

            migrationBuilder.DropIndex(
                name: "IX_History_Subject",
                table: "History");

            migrationBuilder.RenameColumn(
                name: "Subject",
                table: "History",
                newName: "SubjectName");

            migrationBuilder.AddColumn<string>(
                name: "About",
                table: "History",
                type: "TEXT",
                nullable: false,
                defaultValue: "");

            migrationBuilder.AddColumn<string>(
                name: "Detail",
                table: "History",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<long>(
                name: "SubjectNumber",
                table: "History",
                type: "INTEGER",
                nullable: true);

            migrationBuilder.AddColumn<string>(
                name: "EndedAs",
                table: "Dockets",
                type: "TEXT",
                nullable: true);

            migrationBuilder.AddColumn<bool>(
                name: "HasRefusedReport",
                table: "Dockets",
                type: "INTEGER",
                nullable: false,
                defaultValue: false);

            foreach (var sql in FormerHistory.ToEvents())
                migrationBuilder.Sql(sql);

            migrationBuilder.CreateIndex(
                name: "IX_History_About_SubjectNumber",
                table: "History",
                columns: new[] { "About", "SubjectNumber" });

            migrationBuilder.DropColumn(
                name: "Survey",
                table: "Machines");
        }

        /// <inheritdoc />
        protected override void Down(MigrationBuilder migrationBuilder)
        {
            migrationBuilder.DropIndex(
                name: "IX_History_About_SubjectNumber",
                table: "History");

            migrationBuilder.DropColumn(
                name: "About",
                table: "History");

            migrationBuilder.DropColumn(
                name: "Detail",
                table: "History");

            migrationBuilder.DropColumn(
                name: "SubjectNumber",
                table: "History");

            migrationBuilder.DropColumn(
                name: "EndedAs",
                table: "Dockets");

            migrationBuilder.DropColumn(
                name: "HasRefusedReport",
                table: "Dockets");

            migrationBuilder.RenameColumn(
                name: "SubjectName",
                table: "History",
                newName: "Subject");

            migrationBuilder.AddColumn<string>(
                name: "Survey",
                table: "Machines",
                type: "TEXT",
                nullable: true);

            migrationBuilder.Sql("UPDATE Machines SET Survey = (SELECT Body FROM Surveys WHERE Machine = Machines.Id)");

            migrationBuilder.DropTable(
                name: "Surveys");

            migrationBuilder.CreateIndex(
                name: "IX_History_Subject",
                table: "History",
                column: "Subject");
        }
    }
}
